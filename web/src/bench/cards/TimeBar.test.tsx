// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { show } from "../../testing/render";
import { TimeBar } from "./TimeBar";

it("tells where the time goes, in the order of the work", () => {
  show(
    <TimeBar
      spent={[
        { on: "Camera noise, fine", seconds: 40 },
        { on: "Resampling and the file", seconds: 20 },
      ]}
    />,
  );
  expect(screen.getByText("Where the time goes, 60 s in all")).toBeVisible();
  expect(screen.getAllByRole("listitem").map((item) => item.textContent)).toEqual([
    "Camera noise, fine40 s",
    "Resampling and the file20 s",
  ]);
});
