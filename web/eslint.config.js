import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.generated.ts", "*.config.*"] },
  ...tseslint.configs.strict,
  hooks.configs.flat["recommended-latest"],
  { rules: { "@typescript-eslint/no-non-null-assertion": "off", "@typescript-eslint/no-extraneous-class": "off" } },
);
