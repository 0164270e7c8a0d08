// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { OrderContents } from "../api/client";
import { WithKeys, aResult, contentsOf, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { LookThrough } from "./LookThrough";

const LOOK = {
  original: "0f",
  before: "b1c0",
  sheet: { width: 4800, height: 3200 },
  spots: [
    { name: "furnace mouth", x: 1000, y: 900 },
    { name: "rope", x: 4000, y: 2500 },
  ],
};
const results = [12, 13].map((id) => aResult({ id, file_name: `result-${id}.tif` }));

// A page that is not laid out never changes its size.
class NoResize {
  observe() {}
  disconnect() {}
}

beforeEach(() => {
  vi.stubGlobal("ResizeObserver", NoResize);
  answer("GET", "/enlargements/*/look", () => LOOK);
  answer("POST", "/enlargements/*/verdict", () => null);
});

function opened(contents: OrderContents = contentsOf({ enlargements: results })) {
  const onClose = vi.fn();
  const onShow = vi.fn();
  const view = <LookThrough contents={contents} onClose={onClose} onShow={onShow} />;
  return { ...show(<WithKeys>{view}</WithKeys>), onClose, onShow };
}

const verdicts = () => asked().map(({ what, body }) => [what.split("/")[2], body]);

describe("looking through", () => {
  it("shows each spot before and after at the same place", async () => {
    const { user } = opened();
    const before = await screen.findByAltText("Before, bicubic, furnace mouth");
    const after = screen.getByAltText("After, furnace mouth");
    const place = (img: HTMLElement) => img.getAttribute("src")?.split("?")[1];
    expect(before).toHaveAttribute("src", expect.stringContaining("/crops/0f/b1c0?"));
    expect(after).toHaveAttribute("src", expect.stringContaining("/enlargements/13/crop?"));
    expect(place(before)).toBe(place(after));
    await user.keyboard("2");
    expect(await screen.findByAltText("After, rope")).toBeVisible();
    await user.keyboard("{ArrowUp}");
    expect(screen.getByAltText("After, furnace mouth")).toBeVisible();
  });

  it("accepts by a key and goes on, the oldest first", async () => {
    const { user } = opened();
    expect(await screen.findByText("result-13.tif")).toBeVisible();
    await user.keyboard("a");
    expect(await screen.findByText("result-12.tif")).toBeVisible();
    await user.click(screen.getByTestId("accept"));
    expect(await screen.findByText("That was all")).toBeVisible();
    expect(verdicts()).toEqual([
      ["13", { verdict: "accepted", note: "" }],
      ["12", { verdict: "accepted", note: "" }],
    ]);
  });

  it("sends back with a note, in which keys are letters", async () => {
    const { user } = opened();
    await screen.findByText("result-13.tif");
    await user.keyboard("b");
    await user.type(screen.getByRole("textbox", { name: "What is wrong with it?" }), "a halo at the beam{Enter}");
    await waitFor(() => expect(verdicts()).toEqual([["13", { verdict: "sent_back", note: "a halo at the beam" }]]));
  });

  it("thinks better of sending back", async () => {
    const { user } = opened();
    await user.click(await screen.findByRole("button", { name: "Send back" }));
    await user.keyboard("{Escape}");
    expect(screen.queryByRole("textbox")).not.toBeInTheDocument();
    expect(screen.getByTestId("accept")).toBeVisible();
    expect(asked()).toEqual([]);
  });

  it("goes back to what was judged", async () => {
    const { user } = opened();
    await screen.findByText("result-13.tif");
    await user.keyboard("{ArrowRight}{ArrowRight}");
    await user.click(await screen.findByRole("button", { name: "Back to the last" }));
    expect(screen.getByText("result-12.tif")).toBeVisible();
    await user.keyboard("{ArrowLeft}{ArrowLeft}{ArrowLeft}");
    expect(screen.getByText("result-13.tif")).toBeVisible();
  });

  it("says what the server refused", async () => {
    answer("POST", "/enlargements/*/verdict", () => new Refused(403, "A viewer cannot judge."));
    const { user } = opened();
    await screen.findByText("result-13.tif");
    await user.keyboard("a");
    expect(await screen.findByText("A viewer cannot judge.")).toBeVisible();
  });

  it("leaves out what was judged before", async () => {
    const judged = aResult({ id: 14, verdict: "accepted" });
    opened(contentsOf({ enlargements: [judged, ...results] }));
    expect(await screen.findByText(/1 of 2 in Glassworks exhibition/)).toBeVisible();
  });
});
