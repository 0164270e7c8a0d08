// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { aModel, aTrial, show } from "../testing/render";
import { Refused, answer } from "../testing/server";
import { AddModel } from "./AddModel";

const FILE = new File(["weights"], "Cloth by hand.onnx", { type: "application/octet-stream" });

async function tried() {
  const onAdded = vi.fn();
  const shown = show(<AddModel open onClose={() => undefined} onAdded={onAdded} />);
  const add = screen.getByRole("button", { name: "Try and add" });
  expect(add).toBeDisabled();
  await shown.user.upload(screen.getByTestId("model-input"), FILE);
  expect(screen.getByRole("textbox", { name: "Name on the shelf" })).toHaveValue("Cloth by hand");
  await shown.user.click(add);
  return { ...shown, onAdded };
}

describe("a model of one's own", () => {
  it("is on the shelf after its trial, with what was found out", async () => {
    answer("POST", "/models", () =>
      aModel({ id: "own", name: "Cloth by hand", kind: "enlarge", factor: 4, trial: aTrial(1) }),
    );
    const { onAdded } = await tried();
    const told = await screen.findByRole("alert");
    expect(told).toHaveTextContent(/Cloth by hand is on the shelf: it makes pictures 4 times larger, brightness alone/);
    expect(onAdded).toHaveBeenCalled();
  });

  it("that is refused is refused with the reason, and another file can be chosen", async () => {
    answer("POST", "/models", () => new Refused(422, "It needs an operator that is not in ONNX: com.example.Warp."));
    const { user } = await tried();
    expect(await screen.findByRole("alert")).toHaveTextContent("It needs an operator that is not in ONNX");
    await user.upload(screen.getByTestId("model-input"), new File([""], "other.onnx"));
    await waitFor(() => expect(screen.queryByRole("alert")).not.toBeInTheDocument());
    expect(screen.getByText("other.onnx")).toBeVisible();
  });

  it("needs a name", async () => {
    const { user } = show(<AddModel open onClose={() => undefined} onAdded={() => undefined} />);
    await user.upload(screen.getByTestId("model-input"), FILE);
    await user.clear(screen.getByRole("textbox", { name: "Name on the shelf" }));
    expect(screen.getByRole("button", { name: "Try and add" })).toBeDisabled();
  });
});
