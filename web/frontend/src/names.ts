/**
 * The names that are known, so that a misspelt one fails to compile. The Vite plugin writes a declaration file that
 * extends it; without one every string passes.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- extended by the generated file
export interface Known {}

type Named<Key extends string> = Known extends Record<Key, infer Names extends string> ? Names : string;

/** An original, as `shelf/path`. */
export type OriginalName = Named<"originals">;

/** A place. */
export type PlaceName = Named<"places">;

/** A picture that can be laid over others. */
export type OverlayName = Named<"overlays">;
