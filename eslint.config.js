import globals from "globals";

const rules = {
  "no-unused-vars": "error",
  "no-undef": "error",
  "no-shadow": "error",
  "prefer-const": "error",
  eqeqeq: "error",
};

export default [
  {
    files: ["internal/app/web/static/js/**/*.js"],
    languageOptions: {
      ecmaVersion: "latest",
      sourceType: "module",
      globals: { ...globals.browser, ...globals.worker },
    },
    rules,
  },
  {
    files: ["e2e/**/*.mjs", "scripts/*.mjs", "eslint.config.js"],
    languageOptions: {
      ecmaVersion: "latest",
      sourceType: "module",
      globals: { ...globals.node, ...globals.browser },
    },
    rules,
  },
];
