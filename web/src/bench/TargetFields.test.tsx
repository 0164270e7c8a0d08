// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import type { Target } from "../api/client";
import { aPlan, show } from "../testing/render";
import { TargetFields, inTerms } from "./TargetFields";

const ORIGINAL = { width: 1000, height: 750 };
const PRINT: Target = { by: "print", paper: { width: 60, height: 40, unit: "cm" }, ppi: 200 };

function Fields(props: { start: Target; said: (target: Target) => void }) {
  const [target, setTarget] = useState(props.start);
  const change = (next: Target) => {
    setTarget(next);
    props.said(next);
  };
  return <TargetFields target={target} original={ORIGINAL} plan={aPlan()} onChange={change} />;
}

describe("a size in other terms", () => {
  const result = { width: 4000, height: 3000 };
  it.each<[Target["by"], Target]>([
    ["factor", { by: "factor", factor: 4 }],
    ["percent", { by: "percent", percent: 400 }],
    ["width", { by: "width", px: 4000 }],
    ["height", { by: "height", px: 3000 }],
    ["long_edge", { by: "long_edge", px: 4000 }],
    ["short_edge", { by: "short_edge", px: 3000 }],
    ["print", { by: "print", paper: { width: 42.3, height: 31.8, unit: "cm" }, ppi: 240 }],
  ])("%s", (terms, expected) => {
    expect(inTerms(terms, ORIGINAL, result, { by: "factor", factor: 4 })).toEqual(expected);
  });

  it("a print stays the print that it is", () => {
    expect(inTerms("print", ORIGINAL, result, PRINT)).toBe(PRINT);
  });
});

describe("a figure", () => {
  it("is taken over as it is typed, with a comma as well", async () => {
    const said = vi.fn();
    const { user } = show(<Fields start={{ by: "factor", factor: 2 }} said={said} />);
    const field = screen.getByRole("textbox", { name: "Factor" });
    await user.clear(field);
    await user.type(field, "2,5");
    expect(said).toHaveBeenLastCalledWith({ by: "factor", factor: 2.5 });
    expect(field).toHaveValue("2,5");
  });

  it("that makes no sense is told, and changes nothing", async () => {
    const said = vi.fn();
    const { user } = show(<Fields start={{ by: "width", px: 4000 }} said={said} />);
    const field = screen.getByRole("textbox", { name: "Pixels" });
    await user.clear(field);
    expect(field).toBeInvalid();
    await user.type(field, "-3");
    expect(screen.getByText("a whole number above 0")).toBeVisible();
    expect(said).not.toHaveBeenCalled();
    await user.tab();
    expect(field).toHaveValue("4000");
  });

  it("of pixels is a whole one", async () => {
    const said = vi.fn();
    const { user } = show(<Fields start={{ by: "long_edge", px: 4000 }} said={said} />);
    const field = screen.getByRole("textbox", { name: "Pixels" });
    await user.clear(field);
    await user.type(field, "12.5");
    expect(field).toBeInvalid();
    expect(new Set(said.mock.calls.map(([t]) => (t as { px: number }).px))).toEqual(new Set([1, 12]));
  });
});

describe("a print", () => {
  it("keeps its size when its unit changes", async () => {
    const said = vi.fn();
    const { user } = show(<Fields start={PRINT} said={said} />);
    await user.click(screen.getByRole("combobox", { name: "Unit" }));
    await user.click(await screen.findByRole("option", { name: "in" }));
    expect(said).toHaveBeenLastCalledWith({ ...PRINT, paper: { width: 23.62, height: 15.75, unit: "in" } });
  });

  it("has a resolution", async () => {
    const said = vi.fn();
    const { user } = show(<Fields start={PRINT} said={said} />);
    const field = screen.getByRole("textbox", { name: "Resolution" });
    await user.clear(field);
    await user.type(field, "300");
    expect(said).toHaveBeenLastCalledWith({ ...PRINT, ppi: 300 });
  });
});
