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
    files: ["src/**/*.{ts,tsx}"],
    ignores: ["**/*.test.{ts,tsx}", "src/look/**", "src/testing/**"],
    // Colours and sizes of type have names, and stand in src/look.
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector: String.raw`:matches(Literal[value=/(^|\s|\()(#[0-9a-fA-F]{3,8}\b|(rgb|hsl)a?\()/], TemplateElement[value.raw=/(rgb|hsl)a?\(/])`,
          message: "A colour: give it a name in src/look.",
        },
        {
          selector: String.raw`Property[key.name=/^(fontSize|fontWeight|fontFamily)$/] > Literal[value=/^[0-9]/]`,
          message: "A size or weight of type: take one of the theme's (typography), or give it a name in src/look.",
        },
      ],
    },
  },
  {
    files: ["**/*.test.{ts,tsx}"],
    // A test that finds nothing where something should be fails there.
    rules: { "@typescript-eslint/no-non-null-assertion": "off" },
  },
);
