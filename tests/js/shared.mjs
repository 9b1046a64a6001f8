// Imports a shipped module, with what it asks of the browser made up: set on the global scope, as in a page.
const STATIC = new URL("../../src/corlume/web/static/", import.meta.url);

export async function load(file, browser = {}) {
  Object.assign(globalThis, { document: { addEventListener() {} }, window: { addEventListener() {} }, ...browser });
  return import(new URL(file, STATIC));
}
