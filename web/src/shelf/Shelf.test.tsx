// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Model } from "../api/client";
import { Settings } from "../settings/Settings";
import { aModel, aSheet, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { Shelf } from "./Shelf";

const of = (id: string, name: string, card: Record<string, unknown>, part: Partial<Model> = {}): Model => ({
  ...aModel({ id, name, subject: id, weaknesses: [], training_data: [], purpose: `${name}.`, licence: "CC-BY-SA-4.0", parameters: 89_040, ...card }),
  retired: false,
  ...part,
}); // prettier-ignore
const MODELS = [
  of("night", "Night", { kind: "clean", level: "noise" }),
  of("lettering", "Lettering and line x4", { kind: "enlarge", factor: 4 }),
  of("everyday", "Everyday x4", { kind: "enlarge", factor: 4 }),
  of("faces", "Faces", { kind: "face", grade: "fine" }, { pixels_per_second: 5e5 }),
  of("foliage", "Foliage x4", { kind: "enlarge", factor: 4 }, { retired: true }),
];

const titles = () => screen.getAllByRole("article").map((card) => card.getAttribute("aria-label"));

describe("the shelf", () => {
  it("has Everyday first and the retired ones apart", () => {
    show(<Shelf models={MODELS} />);
    expect(titles()[0]).toBe("Everyday x4, draft");
    expect(titles().at(-1)).toBe("Foliage x4, draft");
    expect(screen.getByRole("heading", { name: "Retired" })).toBeVisible();
  });

  it("says so where a model lays a pattern over texture", () => {
    const plain = of("lettering", "Lettering and line x4", { kind: "enlarge", factor: 4 });
    const screened = of("portrait", "Portrait x4", { kind: "enlarge", factor: 4 }, { draws_screen: true });
    show(<Shelf models={[plain, screened]} />);
    const warning = /lays a regular pattern/i;
    expect(within(screen.getByRole("article", { name: "Portrait x4, draft" })).getByText(warning)).toBeVisible();
    expect(screen.getAllByText(warning)).toHaveLength(1);
  });

  it("draws quality against time where there is something to tell apart", () => {
    const measured = (id: string, gain: number) => {
      const evidence = [
        { on: "photographs", own: true, mean: gain, least: 0, most: 3, pictures: 9 },
      ] as Model["evidence"];
      return of(id, `${id} x4`, { kind: "enlarge", factor: 4 }, { pixels_per_second: 5e5, evidence });
    };
    const { again } = show(
      <Shelf models={[measured("everyday", 1.5), measured("lettering", 2.4), measured("portrait", 1.1)]} />,
    );
    expect(screen.getByRole("img", { name: /seconds a megapixel here/ })).toBeVisible();
    again(<Shelf models={[measured("everyday", 1.5), ...MODELS.slice(0, 2)]} />);
    expect(screen.queryByRole("img", { name: /seconds a megapixel here/ })).toBeNull();
  });

  it("is filtered by what a model does and by its subject", async () => {
    const { user } = show(<Shelf models={MODELS} />);
    await user.click(screen.getByRole("button", { name: "Clean" }));
    expect(titles().join()).toBe("Night, draft");
    await user.click(screen.getByRole("button", { name: "All" }));
    await user.click(screen.getByRole("button", { name: "Lettering and line" }));
    expect(titles().join()).toContain("Lettering and line x4");
    expect(titles().join()).not.toContain("Everyday");
    await user.click(screen.getByRole("button", { name: "Lettering and line" }));
    expect(titles().join()).toContain("Everyday");
  });

  it("says how a model of one's own comes onto it", async () => {
    const { user } = show(<Shelf models={MODELS} />);
    await user.click(screen.getByRole("button", { name: "Your own" }));
    expect(screen.getByText(/No model of your own yet\. Any ONNX file/)).toBeVisible();
  });

  it("retires and restores, and says why one cannot be retired", async () => {
    answer("POST", "/models/*/retire", () => new Refused(409, "Everyday x4 is the last one that suits any picture."));
    answer("POST", "/models/*/restore", () => null);
    const { user } = show(<Shelf models={MODELS} />);
    await user.click(screen.getAllByRole("button", { name: /^Retire/ })[0] ?? document.body);
    expect(await screen.findByRole("alert")).toHaveTextContent("the last one that suits any picture");
    await user.click(screen.getByRole("button", { name: /^Restore/ }));
    await waitFor(() =>
      expect(asked().map(({ what }) => what)).toEqual(["POST /models/everyday/retire", "POST /models/foliage/restore"]),
    );
  });
});

describe("the settings", () => {
  beforeEach(() => {
    answer("GET", "/run-sheet", () => aSheet());
    answer("GET", "/products", () => []);
    answer("GET", "/cache", () => ({ bytes: 5e8, limit: 2e9, free: 9e10 }));
    answer("GET", "/devices", () => ({ inbox: "/lab/inbox", shop: null, printer: null, troubles: [] }));
  });

  it("tell the speed of every model that is offered, by what it does", async () => {
    show(<Settings models={MODELS} />);
    const machine = within(screen.getByRole("region", { name: "Machine" }));
    expect(await machine.findByText("1 worker, 0 busy, on lab")).toBeVisible();
    const rows = machine.getAllByRole("row").map((row) => row.textContent);
    expect(rows).toContain("Facesfaces fine0.5 MP/s");
    expect(rows).toContain("Everyday x4x4 draft1 MP/s");
    expect(rows.join()).not.toContain("Foliage");
  });

  it("throw computed tiles away", async () => {
    answer("DELETE", "/cache", () => null);
    const { user } = show(<Settings models={[]} />);
    expect(await screen.findByText("500 MB of 2 GB; the disk has 90 GB free")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Throw them away" }));
    await waitFor(() => expect(asked()).toEqual([{ what: "DELETE /cache", body: undefined }]));
  });

  it("put a product on the list, with its bleed", async () => {
    answer("POST", "/products", () => null);
    const { user } = show(<Settings models={[]} />);
    expect(await screen.findByText("No product yet.")).toBeVisible();
    const put = screen.getByRole("button", { name: "Put it on the list" });
    await user.type(screen.getByRole("textbox", { name: "Name of a product" }), "Quay banner");
    expect(put).toBeDisabled();
    await user.click(screen.getByRole("combobox", { name: "Print" }));
    await user.click(await screen.findByRole("option", { name: "another size" }));
    await user.type(screen.getByRole("spinbutton", { name: /Bleed/ }), "3");
    await user.click(put);
    await waitFor(() => expect(asked()).toHaveLength(1));
    expect(asked()[0]).toMatchObject({
      what: "POST /products",
      body: { name: "Quay banner", least_ppi: null, print: { surround: { kind: "bleed", mm: 3, fill: "mirror" } } },
    });
  });
});
