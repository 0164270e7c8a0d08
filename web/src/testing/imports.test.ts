/** How the front end's modules know each other, read from the sources. */

import { expect, it } from "vitest";

const RAW = import.meta.glob<string>("../**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });

/** The sources by their paths below src. */
const texts = new Map(Object.entries(RAW).map(([path, text]) => [inside(path, "testing/imports.test.ts"), text]));
const sources = [...texts.keys()];

/** Where a relative path leads from a file below src. */
function inside(path: string, from: string): string {
  return new URL(path, `http://src/${from}`).pathname.slice(1);
}

/** The modules that one names, for values or for types, at the start or later on. */
function named(file: string): string[] {
  const text = texts.get(file) ?? "";
  return [...text.matchAll(/(?:from|import)\s*\(?\s*"(\.[^"]+)"/g)].flatMap(([, path = ""]) => {
    const target = inside(path, file);
    return [`${target}.ts`, `${target}.tsx`].filter((candidate) => texts.has(candidate));
  });
}

const graph = new Map(sources.map((file) => [file, named(file)]));

/** A way from a module back to itself. */
function circle(from: string): string[] | undefined {
  const seen = new Set<string>();
  const ways = [[from]];
  for (let way = ways.shift(); way; way = ways.shift()) {
    for (const next of graph.get(way.at(-1) ?? from) ?? []) {
      if (next === from) return [...way, next];
      if (!seen.has(next)) {
        seen.add(next);
        ways.push([...way, next]);
      }
    }
  }
  return undefined;
}

it("reads the imports", () => {
  expect(graph.get("main.tsx")).toContain("app/App.tsx");
  expect(graph.get("app/Workplace.tsx")).toContain("shelf/Shelf.tsx");
});

it("no module needs itself through others", () => {
  const circles = sources.map(circle).filter((way) => way !== undefined);
  expect(circles).toEqual([]);
});

it("the look's figures and colours need nothing", () => {
  expect(graph.get("look/tokens.ts")).toEqual([]);
});

it("the stage knows nothing of React, nor of what lies around it", () => {
  const of = (folder: string) => sources.filter((file) => file.startsWith(folder) && !file.includes(".test."));
  for (const file of of("stage/")) {
    expect(texts.get(file), file).not.toMatch(/from "react/);
    for (const other of graph.get(file) ?? []) expect(other).toMatch(/^(stage|api)\/|^look\/tokens\.ts$/);
  }
});
