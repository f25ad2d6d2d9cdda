import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  ...tseslint.configs.strict,
  { plugins: { "react-hooks": reactHooks }, rules: reactHooks.configs.recommended.rules },
  { ignores: ["src/api/schema.gen.ts"] },
);
