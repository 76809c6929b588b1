// Style and mistakes that types do not see, in what the browser runs and in its tests.
import js from "@eslint/js";
import globals from "globals";

const rules = {
  ...js.configs.recommended.rules,
  curly: ["error", "multi-line"],
  eqeqeq: "error",
  "no-constant-condition": ["error", { checkLoops: false }],
  "no-unused-vars": ["error", { args: "none", caughtErrors: "none" }],
  "no-var": "error",
  "object-shorthand": "error",
  "prefer-const": ["error", { destructuring: "all" }],
};

export default [
  { files: ["vistaline/web/static/js/**/*.js"], languageOptions: { globals: globals.browser }, rules },
  { files: ["tests/scripts/**/*.js", "eslint.config.js"], languageOptions: { globals: globals.node }, rules },
];
