// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { GuideBook, PAGES } from "./GuideBook";

it("has pages in the order of the work, each with what it is called", () => {
  expect(PAGES.map((page) => page.title).slice(0, 5)).toEqual([
    "Orders and pictures",
    "How large, and what the picture holds",
    "The steps",
    "Comparing",
    "Running and delivering",
  ]);
});

it("shows one page, with its pictures, and then another", async () => {
  const onClose = vi.fn();
  const { user } = show(<GuideBook onClose={onClose} />);
  expect(screen.getByRole("heading", { name: "Orders and pictures", level: 1 })).toBeVisible();
  expect(screen.getByRole("img", { name: "An order as a contact sheet" })).toHaveAttribute(
    "src",
    expect.stringContaining("orders") as string,
  );
  await user.click(screen.getByRole("button", { name: "The steps" }));
  expect(screen.getByRole("heading", { name: "The steps", level: 1 })).toBeVisible();
  // What the guide's pages say of files in the repository is no link here.
  expect(screen.queryByRole("link")).not.toBeInTheDocument();
  await user.click(screen.getByRole("button", { name: "Close" }));
  expect(onClose).toHaveBeenCalled();
});
