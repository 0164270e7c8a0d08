import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts"] },
  ...tseslint.configs.strict,
  {
    plugins: { "react-hooks": hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // Speaks to those who compile with React's compiler; the lists of the virtualiser are not compiled here.
      "react-hooks/incompatible-library": "off",
    },
  },
  {
    files: ["src/**/*.tsx"],
    ignores: ["**/*.test.tsx"],
    // A component that is longer has parts with names of their own.
    rules: { "max-lines-per-function": ["error", { max: 150, skipBlankLines: true, skipComments: true }] },
  },
  {
    files: ["**/*.test.{ts,tsx}"],
    // A test that finds nothing where something should be fails there.
    rules: { "@typescript-eslint/no-non-null-assertion": "off" },
  },
);
