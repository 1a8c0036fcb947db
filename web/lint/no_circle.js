import { existsSync, readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";

const imports = new Map();

/** The files of ours that a file imports, types included. */
function importsOf(file) {
  if (!imports.has(file)) {
    const found = [...readFileSync(file, "utf8").matchAll(/from "(\.[^"]+)"/g)].map(([, name]) => resolve(dirname(file), name));
    imports.set(file, found.flatMap((path) => [".ts", ".tsx"].map((end) => path + end).filter(existsSync)));
  }
  return imports.get(file);
}

/** The way from one file to another by imports; null when there is none. */
function wayTo(wanted, from, seen = new Set()) {
  if (from === wanted) return [from];
  if (seen.has(from)) return null;
  seen.add(from);
  for (const next of importsOf(from)) {
    const way = wayTo(wanted, next, seen);
    if (way) return [from, ...way];
  }
  return null;
}

/** Arrows between files point one way. Other rules of this kind pass over imports of types, which tie files just as well. */
export default {
  meta: { type: "problem", schema: [] },
  create: (context) => ({
    ImportDeclaration(node) {
      const source = node.source.value;
      if (!source.startsWith(".")) return;
      const target = [".ts", ".tsx"].map((end) => resolve(dirname(context.filename), source) + end).find(existsSync);
      const way = target && wayTo(context.filename, target);
      if (way) context.report({ node, message: `This import closes a circle: ${way.map((file) => file.split("/").at(-1)).join(" > ")}` });
    },
  }),
};
