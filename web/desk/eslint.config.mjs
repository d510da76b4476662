import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";
import { fileURLToPath } from "node:url";

export default ts.config(
  { ignores: ["wire/types.ts", "**/*.mjs"] },
  ...ts.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: fileURLToPath(new URL(".", import.meta.url)) } } },
  a11y.flatConfigs.recommended,
  { plugins: { "react-hooks": hooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
  { rules: { "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }], "max-lines": ["error", 150] } },
);
