// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { show } from "../testing/render";
import { Awaited } from "./Awaited";

it("says what is waited for once that takes long", async () => {
  const { container } = show(<Awaited original={7} waiting />);
  expect(container.querySelector("img")).toHaveAttribute("src", "/api/v1/originals/7/thumbnail");
  expect(screen.queryByRole("status")).not.toBeInTheDocument();
  expect(await screen.findByRole("status")).toHaveTextContent("models are tried on its parts");
});

it("says what went wrong instead", async () => {
  show(
    <Awaited original={7} waiting={false}>
      The file is gone.
    </Awaited>,
  );
  await new Promise((done) => setTimeout(done, 700));
  expect(screen.getByText("The file is gone.")).toBeVisible();
  expect(screen.queryByRole("status")).not.toBeInTheDocument();
});
