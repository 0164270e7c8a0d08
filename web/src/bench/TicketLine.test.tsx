// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { type Plan, Refusal, type Target, type Intent } from "../api/client";
import { aPlan, anIntent, anOriginal, show } from "../testing/render";
import { TicketLine, targetText } from "./TicketLine";

const PRINT: Target = { by: "print", paper: { width: 60, height: 40, unit: "cm" }, ppi: 240 };
const verdict = { distance_m: 1.1, detail_ppi: 76.4, sharp_from_m: 1.13 };

function line(
  target: Target,
  part: { plan?: Plan; error?: unknown; fileBytes?: number; intent?: Partial<Intent> } = {},
) {
  const change = vi.fn();
  const control = { intent: anIntent({ target, ...part.intent }), change } as never;
  return { ...show(<TicketLine original={anOriginal()} control={control} {...part} />), change };
}

describe("the size in the sentence", () => {
  it.each<[Target, string]>([
    [PRINT, "60 × 40 cm"],
    [{ by: "factor", factor: 2.125 }, "2.125 times its size"],
    [{ by: "percent", percent: 250 }, "250 %"],
    [{ by: "width", px: 4000 }, "4000 px wide"],
    [{ by: "height", px: 3000 }, "3000 px high"],
    [{ by: "long_edge", px: 6000 }, "6000 px along the long edge"],
    [{ by: "short_edge", px: 900 }, "900 px along the short edge"],
  ])("%#", (target, words) => {
    expect(targetText(target)).toBe(words);
  });
});

describe("the sentence", () => {
  it("is changed where it is underlined", async () => {
    const { user, change } = line(PRINT, { plan: aPlan({ verdict } as Partial<Plan>) });
    expect(screen.getByRole("region", { name: "Print" })).toHaveTextContent(
      "Enlarge furnace-hall.jpg to 60 × 40 cm at 240 ppi, to be seen from 1.1 m.",
    );
    await user.click(screen.getByRole("button", { name: "Resolution: 240 ppi" }));
    const ppi = await screen.findByRole("textbox", { name: "Pixels per inch" });
    await user.clear(ppi);
    await user.type(ppi, "300");
    expect(change).toHaveBeenLastCalledWith({ target: { ...PRINT, ppi: 300 } });
  });

  it("takes a distance of its own, and the usual one again", async () => {
    const { user, change } = line(PRINT, { plan: aPlan({ verdict } as Partial<Plan>) });
    await user.click(screen.getByRole("button", { name: /^Viewing distance/ }));
    await user.click(await screen.findByRole("combobox", { name: "Seen from" }));
    await user.click(await screen.findByRole("option", { name: "A distance of its own" }));
    expect(change).toHaveBeenLastCalledWith({ distance_m: 1.1 });
  });

  it("says nothing of paper where there is none", () => {
    line({ by: "factor", factor: 4 }, { plan: aPlan() });
    expect(screen.queryByRole("button", { name: /^Resolution/ })).not.toBeInTheDocument();
  });
});

describe("what follows from it", () => {
  it("is told with time, file and detail", () => {
    line(PRINT, { plan: aPlan({ seconds: 12.4, verdict } as Partial<Plan>), fileBytes: 61e6 });
    const told = screen.getByTestId("consequences");
    expect(told).toHaveTextContent(/4 000 × 3 000 px.*4 times.*about 12 s.*about 61 MB.*76 ppi, holds from 1\.1 m/);
  });

  it("is told as far as it is known", () => {
    line(PRINT, { plan: aPlan() });
    expect(screen.getByTestId("consequences")).toHaveTextContent(/time not known yet.*file size being measured/);
  });

  it("is what is in the way, when something is", async () => {
    const refusal = new Refusal({ status: 422, code: "too_large", detail: "A side has at most 60,000 px." });
    line(PRINT, { plan: aPlan(), error: refusal });
    await waitFor(() => expect(screen.getByRole("alert")).toHaveTextContent("A side has at most 60,000 px."));
    expect(screen.queryByTestId("consequences")).not.toBeInTheDocument();
  });
});
