import js from "@eslint/js";
import { defineConfig } from "eslint/config";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default defineConfig(
  { ignores: ["dist", "src/api/schema.ts"] },
  js.configs.recommended,
  ...ts.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: { allowDefaultProject: ["eslint.config.js"] } } } },
  hooks.configs.flat.recommended,
  {
    rules: {
      // Numbers in template strings are what this console mostly shows.
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
    },
  },
);
