// What a machine reads in the scripts beside their types.
import globals from "globals";

export default [
  { ignores: ["**/vendor/**", "node_modules/**"] },
  {
    files: ["**/*.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: globals.browser },
    linterOptions: { reportUnusedDisableDirectives: true },
    rules: {
      "no-undef": "error", "no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "prefer-const": "error", "no-var": "error", "eqeqeq": "error", "no-shadow": "error", "no-implicit-globals": "error",
      "no-unreachable": "error", "no-dupe-keys": "error", "no-duplicate-imports": "error", "no-empty": ["error", { "allowEmptyCatch": false }],
      "no-self-compare": "error", "no-constant-condition": "error", "no-fallthrough": "error", "no-eval": "error", "no-implied-eval": "error",
      "no-console": "error", "no-debugger": "error", "no-else-return": "off", "object-shorthand": "error", "prefer-template": "error",
      "no-useless-return": "error", "no-lonely-if": "error", "no-unneeded-ternary": "error", "no-loss-of-precision": "error",
      "quotes": ["error", "double", { "avoidEscape": true, "allowTemplateLiterals": true }], "semi": ["error", "always"],
    },
  },
];
