import manifest from "kivet:manifest";
import { definePicture } from "kivet-frontend/element";
import { createRoot } from "react-dom/client";
import { Festival } from "./Festival";
import "./festival.css";

definePicture(manifest);
const root = document.getElementById("app");
if (root) createRoot(root).render(<Festival />);
