// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { anOriginal, show } from "../testing/render";
import { Refused, answer } from "../testing/server";
import { TracePanel } from "./Trace";

beforeEach(() => {
  vi.stubGlobal("URL", Object.assign(URL, { createObjectURL: () => "blob:shapes", revokeObjectURL: () => undefined }));
});

describe("a picture as shapes", () => {
  it("is shown and saved, with what it is drawn in", async () => {
    answer("GET", "/originals/*/trace", () => ({
      svg: "<svg/>",
      outlines: 3,
      nodes: 17,
      colours: ["#ffffff", "#143c8c"],
    }));
    show(<TracePanel original={anOriginal({ name: "emblem.png" })} asked="aa11" />);
    expect(await screen.findByRole("img", { name: "The picture as shapes" })).toHaveAttribute("src", "blob:shapes");
    expect(screen.getByText(/^3 outlines, 17 nodes/)).toBeVisible();
    expect(screen.getAllByRole("listitem").map((item) => item.getAttribute("aria-label"))).toEqual([
      "#ffffff",
      "#143c8c",
    ]);
    expect(screen.getByRole("link", { name: "Save emblem.svg" })).toHaveAttribute("download", "emblem.svg");
    const page = screen.getByRole("link", { name: "Save emblem.pdf" });
    expect(page).toHaveAttribute("href", expect.stringMatching(/\/originals\/\d+\/trace\.pdf\?colours=\d+$/));
  });

  it("is refused with the reason", async () => {
    answer("GET", "/originals/*/trace", () => new Refused(422, "this is no drawing", "trace.not-drawn"));
    show(<TracePanel original={anOriginal()} asked="aa11" />);
    expect(await screen.findByText("this is no drawing")).toBeVisible();
    expect(screen.queryByRole("link")).not.toBeInTheDocument();
  });
});
