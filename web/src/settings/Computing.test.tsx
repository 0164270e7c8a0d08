// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { ComputingPanel } from "./Computing";

const LAMP = {
  name: "lamp-gpu",
  kind: "graphics",
  maker: "Vetreria",
  outcome: "right",
  times: 6.2,
  difference: 1e-6,
  what: "graphics processor by Vetreria",
  in_words: "6.20 times as fast as the processor's own code",
  may_be_used: true,
};
const FRIT = { ...LAMP, name: "frit-gpu", outcome: "wrong", in_words: "answers wrong", may_be_used: false };
const STANDING = {
  wanted: "auto",
  computing: "lamp-gpu",
  trouble: null,
  is_to_be_tried: false,
  devices: [LAMP, FRIT],
  troubles: [],
};

describe("what computes", () => {
  it("is one of the devices that are right, and says what came of each", async () => {
    answer("GET", "/computing", () => STANDING);
    answer("POST", "/computing", () => ({ ...STANDING, wanted: "cpu", computing: "cpu" }));
    const { user } = show(<ComputingPanel />);
    expect(await screen.findByRole("radio", { name: /The fastest that is right now lamp-gpu/ })).toBeChecked();
    expect(screen.getByRole("radio", { name: /lamp-gpu, a graphics processor by Vetreria 6\.20 times/ })).toBeEnabled();
    expect(screen.getByRole("radio", { name: /frit-gpu.*answers wrong/ })).toBeDisabled();
    await user.click(screen.getByRole("radio", { name: /The processor by the runtime/ }));
    await waitFor(() => expect(screen.getByRole("radio", { name: /The processor by the runtime/ })).toBeChecked());
    expect(asked()).toContainEqual({ what: "POST /computing", body: { device: "cpu" } });
  });

  it("is tried again on demand, and tells what could not be", async () => {
    answer("GET", "/computing", () => ({ ...STANDING, devices: [], troubles: ["lamp.so: it is no plug-in"] }));
    answer("POST", "/computing/try", () => STANDING);
    const { user } = show(<ComputingPanel />);
    expect(await screen.findByRole("alert")).toHaveTextContent("lamp.so: it is no plug-in");
    await user.click(screen.getByRole("button", { name: "Try them again" }));
    expect(await screen.findByRole("radio", { name: /lamp-gpu,/ })).toBeEnabled();
    expect(screen.queryByRole("alert")).not.toBeInTheDocument();
  });

  it("says why it is not what is wanted", async () => {
    answer("GET", "/computing", () => ({
      ...STANDING,
      computing: "cpu",
      trouble: "lamp-gpu failed, and cpu computes",
    }));
    answer("POST", "/computing", () => new Refused(422, "lamp-gpu does not run: out of memory"));
    const { user } = show(<ComputingPanel />);
    expect(await screen.findByRole("alert")).toHaveTextContent("lamp-gpu failed");
    await user.click(screen.getByRole("radio", { name: /lamp-gpu,/ }));
    expect(await screen.findByText("lamp-gpu does not run: out of memory")).toBeVisible();
  });

  it("is the processor where there is nothing else, with a way to more", async () => {
    answer("GET", "/computing", () => ({ ...STANDING, wanted: "auto", computing: "cpu", devices: [] }));
    show(<ComputingPanel />);
    expect(await screen.findByText(/scripts\/plugin\.sh webgpu/)).toBeVisible();
    expect(screen.queryByRole("radio")).not.toBeInTheDocument();
  });
});
