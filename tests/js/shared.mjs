// Loads shipped scripts as a page does, into a scope of their own, with what they ask of the browser made up.
import { readFileSync } from "node:fs";
import { createContext, runInContext } from "node:vm";

const STATIC = new URL("../../src/corlume/web/static/", import.meta.url);

// Returns what evaluates an expression in that scope.
export function load(files, browser = {}) {
  const scope = createContext({ ...browser });
  for (const file of files) runInContext(readFileSync(new URL(file, STATIC), "utf8"), scope, { filename: file });
  return (text) => runInContext(`(${text})`, scope);
}

// What comes out of another scope has other prototypes: as plain data it compares.
export const plain = (value) => JSON.parse(JSON.stringify(value ?? null));
