// Runs the linter over scripts by name; gives what it has to say, a line each.

window.lint = (sources) => {
  const severe = [
    "array-callback-return", "consistent-this", "eqeqeq", "no-const-assign", "no-constant-condition", "no-dupe-keys",
    "no-duplicate-imports", "no-empty", "no-fallthrough", "no-irregular-whitespace", "no-new-wrappers",
    "no-redeclare", "no-self-assign", "no-self-compare", "no-shadow", "no-sparse-arrays", "no-throw-literal",
    "no-unreachable", "no-unused-expressions", "no-useless-catch", "no-useless-concat",
    "no-useless-return", "no-var", "object-shorthand", "prefer-const", "use-isnan", "valid-typeof",
  ];
  const rules = Object.fromEntries(severe.map((rule) => [rule, "error"]));
  rules["no-unused-vars"] = ["error", { args: "all", argsIgnorePattern: "^_", ignoreRestSiblings: true }];
  const linter = new eslint.Linter();
  const languageOptions = { ecmaVersion: 2023, sourceType: "module" };
  return Object.entries(sources).flatMap(([name, text]) =>
    linter.verify(text, [{ languageOptions, rules }]).map((told) => `${name}:${told.line} ${told.ruleId} ${told.message}`));
};
