// Modules of the pages; Alpine alone comes from a script of its own.
const browser = Object.fromEntries(
  ["Alpine", "document", "window", "fetch", "DOMParser", "DOMPoint", "FormData", "URLSearchParams", "CSS", "sessionStorage", "localStorage", "EventSource", "IntersectionObserver", "setTimeout", "clearTimeout", "requestAnimationFrame", "cancelAnimationFrame", "BroadcastChannel", "ResizeObserver", "TextDecoder", "URL", "Blob", "getComputedStyle"].map((name) => [name, "readonly"]),
);

export default [
  {
    files: ["**/*.js"],
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: browser },
    rules: {
      "no-undef": "error",
      "no-unused-vars": "error",
      "no-redeclare": "error",
      "no-var": "error",
      "prefer-const": "error",
      eqeqeq: "error",
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
