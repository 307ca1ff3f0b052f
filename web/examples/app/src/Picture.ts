import manifest from "kivet:manifest";
import { pictureOf } from "kivet-frontend/react";

/** A picture of the festival's shelf, in one of its places. */
export const Picture = pictureOf(manifest);
