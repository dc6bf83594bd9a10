import js from "@eslint/js";
import globals from "globals";

export default [
  { ...js.configs.recommended, files: ["src/*.js"] },
  {
    files: ["src/*.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: { ...globals.browser, Alpine: "readonly" } },
    rules: {
      "max-len": ["error", { code: 120, ignoreRegExpLiterals: true }],
      "no-unused-vars": ["error", { args: "after-used", argsIgnorePattern: "^_", caughtErrors: "none" }],
      eqeqeq: ["error", "always", { null: "ignore" }],
      "prefer-const": ["error", { destructuring: "all" }],
    },
  },
];
