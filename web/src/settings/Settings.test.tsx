// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import { aModel, aSheet, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { Settings } from "./Settings";

const PRINT = {
  target: { by: "print", paper: { width: 40, height: 30, unit: "cm" }, ppi: 254 },
  surround: { kind: "none" },
};
const GALLERY = { id: 2, name: "Gallery 40", print: PRINT, in_words: "40 × 30 cm at 254 ppi", least_ppi: 120 };
const TILES = { bytes: 3_000_000, limit: 12_000_000, free: 9e9 };

beforeEach(() => {
  answer("GET", "/products", () => [GALLERY]);
  answer("GET", "/run-sheet", () => aSheet({ workers: [{ name: "worker 1", machine: "lab", job_id: 4 }] as never }));
  answer("GET", "/cache", () => TILES);
  answer("GET", "/removed", () => []);
  answer("GET", "/computing", () => ({
    wanted: "auto",
    computing: "cpu",
    trouble: null,
    is_to_be_tried: false,
    devices: [],
    troubles: [],
  }));
  answer("GET", "/suggestions", () => ({ subjects: [], otherwise: [] }));
  answer("GET", "/devices", () => ({
    inbox: "/srv/inbox",
    shop: null,
    printer: "http://127.0.0.1:9100",
    troubles: [],
  }));
});

const panel = async (name: string) => within(await screen.findByRole("region", { name }));

describe("products", () => {
  it("are listed with their print, and taken off the list", async () => {
    answer("DELETE", "/products/2", () => null);
    const { user } = show(<Settings models={[]} />);
    const products = await panel("Products");
    const row = within(await products.findByRole("listitem"));
    expect(row.getByText("Gallery 40")).toBeVisible();
    expect(row.getByText(/40 × 30 cm/)).toBeVisible();
    expect(row.getByText("at least 120 ppi")).toBeVisible();
    answer("GET", "/products", () => []);
    await user.click(row.getByRole("button", { name: "Take Gallery 40 off the list" }));
    expect(await products.findByText("No product yet.")).toBeVisible();
    expect(asked()[0]?.what).toBe("DELETE /products/2");
  });

  it("are made from a print, with a bleed and a least resolution", async () => {
    answer("POST", "/products", () => GALLERY);
    const { user } = show(<Settings models={[]} />);
    const products = await panel("Products");
    const put = products.getByRole("button", { name: "Put it on the list" });
    await user.type(products.getByRole("textbox", { name: "Name of a product" }), "Wall 40");
    expect(put).toBeDisabled();
    await user.click(products.getByRole("combobox"));
    await user.click(await screen.findByRole("option", { name: /Gallery 40/ }));
    await user.type(products.getByRole("spinbutton", { name: /Bleed/ }), "3");
    await user.type(products.getByRole("spinbutton", { name: /Least resolution/ }), "150");
    await user.click(put);
    await waitFor(() => expect(products.getByRole("textbox", { name: "Name of a product" })).toHaveValue(""));
    expect(asked()).toContainEqual({
      what: "POST /products",
      body: {
        name: "Wall 40",
        least_ppi: 150,
        print: expect.objectContaining({ surround: { kind: "bleed", mm: 3, fill: "mirror" } }) as unknown,
      },
    });
  });

  it("that are refused stay in the form, with the reason", async () => {
    answer("POST", "/products", () => new Refused(409, "There is a product of this name."));
    const { user } = show(<Settings models={[]} />);
    const products = await panel("Products");
    await user.type(products.getByRole("textbox", { name: "Name of a product" }), "Gallery 40");
    await user.click(products.getByRole("combobox"));
    await user.click(await screen.findByRole("option", { name: /Gallery 40/ }));
    await user.click(products.getByRole("button", { name: "Put it on the list" }));
    expect(await products.findByRole("alert")).toHaveTextContent("There is a product of this name.");
    expect(products.getByRole("textbox", { name: "Name of a product" })).toHaveValue("Gallery 40");
  });
});

describe("the machine", () => {
  it("is told by what its models do on it, those that are in use", async () => {
    const models = [
      aModel({ id: "e", name: "Everyday x4", kind: "enlarge", factor: 4 }),
      { ...aModel({ id: "n", name: "Night", kind: "clean" }), pixels_per_second: 2.5e6 },
      { ...aModel({ id: "f", name: "Faces", kind: "face" }), retired: true },
    ];
    show(<Settings models={models} />);
    const rows = (await panel("Machine")).getAllByRole("row").map((row) => row.textContent);
    expect(rows).toEqual(["Everyday x4x4 draft1 MP/s", "Nightclean draft2.5 MP/s"]);
    expect(await screen.findByText("1 worker, 1 busy, on lab")).toBeVisible();
  });
});

describe("computed tiles", () => {
  it("are thrown away when that is asked for", async () => {
    answer("DELETE", "/cache", () => {
      answer("GET", "/cache", () => ({ ...TILES, bytes: 0 }));
      return null;
    });
    const { user } = show(<Settings models={[]} />);
    const tiles = await panel("Computed tiles");
    expect(await tiles.findByRole("progressbar", { name: "Taken" })).toHaveAttribute("aria-valuenow", "25");
    expect(tiles.getByText(/the disk has 9(\.0)? GB free/)).toBeVisible();
    const button = tiles.getByRole("button", { name: "Throw them away" });
    await user.click(button);
    await waitFor(() => expect(tiles.getByRole("progressbar")).toHaveAttribute("aria-valuenow", "0"));
    expect(button).toBeDisabled();
  });
});

it("says what is connected, and how to connect what is not", async () => {
  show(<Settings models={[]} />);
  const outside = await panel("Outside");
  expect(outside.getByText("/srv/inbox")).toBeVisible();
  expect(outside.getByText("none; the server takes --shop ADDRESS")).toBeVisible();
  expect(outside.getByText("http://127.0.0.1:9100")).toBeVisible();
});

it("tells of a shop's orders that could not be taken, and has them tried again", async () => {
  let asked = 0;
  const reason = "blanket.png: 404 Not Found";
  const trouble = { reference: "SN-2041", reason, tries: 3, since: "2026-05-04T06:12:00Z", again_in_seconds: 48 };
  answer("GET", "/devices", () => ({ inbox: "/srv/inbox", shop: "http://shop", printer: null, troubles: [trouble] }));
  answer("POST", "/devices/shop/retry", () => {
    asked += 1;
    return null;
  });
  const { user } = show(<Settings models={[]} />);
  const outside = await panel("Outside");
  expect(outside.getByText(/1 order of the shop could not be taken/)).toBeVisible();
  expect(outside.getByText(/SN-2041: blanket\.png: 404 Not Found; tried 3 times, again in 48/)).toBeVisible();
  await user.click(outside.getByRole("button", { name: "Try again" }));
  await waitFor(() => expect(asked).toBe(1));
});

describe("suggestions", () => {
  it("say that nobody has worked on any yet", async () => {
    show(<Settings models={[]} />);
    expect(await (await panel("Suggestions")).findByText(/has been worked on yet/)).toBeVisible();
  });

  it("are counted by what pictures show, and what was chosen instead is told", async () => {
    const words = { clean: "nothing", enlarge: "Everyday, fine", finish: "edges 0.1" };
    const other = {
      order_id: 3,
      original_id: 8,
      name: "fern.jpg",
      suggested: words,
      chosen: { ...words, clean: "noise 40 %" },
    };
    const fur = { shows: "fur or feathers", pictures: 5, kept: 4, changed: 1, other_model: 0 };
    answer("GET", "/suggestions", () => ({ subjects: [fur], otherwise: [other] }));
    const { user } = show(<Settings models={[]} />);
    const suggestions = await panel("Suggestions");
    expect(await suggestions.findByRole("row", { name: "fur or feathers 5 4 1 0" })).toBeVisible();
    await user.click(suggestions.getByText("1 picture treated otherwise"));
    expect(suggestions.getByRole("link", { name: "fern.jpg" })).toHaveAttribute("href", "/orders/3/pictures/8");
    expect(suggestions.getByText("clean: noise 40 % instead of nothing")).toBeVisible();
  });
});
