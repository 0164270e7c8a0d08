// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { show } from "../testing/render";
import { answer } from "../testing/server";
import { TonesPanel, lossText } from "./Tones";

const tones = (black: number, white: number) => ({
  counts: [
    [4, 1, 2, 0],
    [0, 3, 3, 1],
    [1, 1, 1, 1],
  ],
  black,
  white,
});

describe("tones of the view", () => {
  it("stand beside each other, with what is clipped", async () => {
    let asked = "";
    answer("GET", "/tones/0f/aa11", (_, address) => {
      asked = address.search;
      return { original: tones(0, 0), result: tones(0.0004, 0.125), lost: 0.02 };
    });
    show(<TonesPanel hash="0f" treatment="aa11" part={{ x: 1, y: 2, width: 30, height: 40 }} profile="srgb" />);
    expect(
      await screen.findByRole("img", { name: "Tones of the original; clipped to black 0 %, white 0 %" }),
    ).toBeVisible();
    expect(
      screen.getByRole("img", { name: "Tones of the result; clipped to black under 0.1 %, white 12.5 %" }),
    ).toBeVisible();
    expect(screen.getByText(/^2 % of the view has colours/)).toBeVisible();
    expect(new URLSearchParams(asked).get("profile")).toBe("srgb");
  });

  it("are not counted from afar", () => {
    show(<TonesPanel hash="0f" treatment="aa11" profile="original" />);
    expect(screen.getByText(/^Come closer/)).toBeVisible();
  });

  it.each([
    [undefined, "The file keeps the original's own profile: no colour is lost."],
    [0, "The file's profile holds every colour of the view."],
    [0.25, "25 % of the view has colours that the file's profile cannot hold: they come out paler."],
  ])("lost to a profile: %s", (lost, text) => expect(lossText(lost)).toBe(text));
});
