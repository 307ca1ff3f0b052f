import js from "@eslint/js";
import { defineConfig } from "eslint/config";
import ts from "typescript-eslint";

export default defineConfig(
  { ignores: ["dist"] },
  js.configs.recommended,
  ...ts.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: { allowDefaultProject: ["eslint.config.js"] } } } },
  { rules: { "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }] } },
);
