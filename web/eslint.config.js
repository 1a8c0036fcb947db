import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

import noCircle from "./lint/no_circle.js";

export default tseslint.config(
  { ignores: ["dist", "lint", "src/api/schema.generated.ts", "*.config.*"] },
  ...tseslint.configs.strict,
  hooks.configs.flat["recommended-latest"],
  {
    plugins: { own: { rules: { "no-circle": noCircle } } },
    rules: {
      "own/no-circle": "error",
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-extraneous-class": "off",
    },
  },
);
