// What is looked for in the console beyond its types: TypeScript's traps, the rules of hooks, and what keeps a page
// usable by keyboard and screen reader.
import jsxA11y from "eslint-plugin-jsx-a11y";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["node_modules", "src/api/schema.d.ts"] },
  ...tseslint.configs.recommended,
  reactHooks.configs.flat.recommended,
  jsxA11y.flatConfigs.recommended,
  {
    rules: {
      "@typescript-eslint/no-unused-vars": [
        "error",
        { argsIgnorePattern: "^_", varsIgnorePattern: "^_" },
      ],
      // The list of rows moves in a window; its functions are not memoised, and nothing here is compiled.
      "react-hooks/incompatible-library": "off",
      // Values that are compared with null on purpose stand for "null or undefined".
      eqeqeq: ["error", "always", { null: "ignore" }],
      // A region that scrolls must be reachable by keyboard (WCAG 2.1.1).
      "jsx-a11y/no-noninteractive-tabindex": ["error", { roles: ["region", "tabpanel"], tags: [] }],
      // A list, drawer or dialog that somebody opened takes the focus: that is what it was opened for.
      "jsx-a11y/no-autofocus": "off",
      "jsx-a11y/label-has-associated-control": ["error", { assert: "either", depth: 3 }],
    },
  },
);
