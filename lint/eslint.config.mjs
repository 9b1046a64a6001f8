// Classic scripts that share one scope, as the pages load them: what one file defines the others use.
const shared = Object.fromEntries(
  ["Alpine", "talk", "readPage", "places", "nudger", "holdTouch", "focusKey", "refresh", "chartAsks", "chartShows", "chartPointer", "chartKeys", "chartFields", "chartTogether"].map((name) => [name, "readonly"]),
);
const browser = Object.fromEntries(
  ["document", "window", "fetch", "DOMParser", "DOMPoint", "FormData", "URLSearchParams", "CSS", "sessionStorage", "localStorage", "EventSource", "IntersectionObserver", "setTimeout", "clearTimeout"].map((name) => [name, "readonly"]),
);

export default [
  {
    files: ["**/*.js"],
    languageOptions: { ecmaVersion: 2023, sourceType: "script", globals: { ...browser, ...shared } },
    rules: {
      "no-undef": "error",
      "no-unused-vars": ["error", { varsIgnorePattern: `^(${Object.keys(shared).join("|")})$` }],
      "no-redeclare": ["error", { builtinGlobals: false }],
      "no-var": "error",
      "prefer-const": "error",
      eqeqeq: "error",
      "no-implicit-globals": "off",
      "no-unreachable": "error",
      "no-dupe-keys": "error",
      "no-self-assign": "error",
      "no-fallthrough": "error",
      "no-shadow": "error",
      "no-use-before-define": ["error", { functions: false }],
      curly: ["error", "multi-line"],
    },
  },
];
