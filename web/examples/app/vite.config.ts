import react from "@vitejs/plugin-react";
import { kivet } from "kivet-frontend/vite";
import { defineConfig } from "vite";

export default defineConfig({ base: "./", plugins: [react(), kivet()] });
