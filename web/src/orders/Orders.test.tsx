// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Order } from "../api/client";
import { anOrder, contentsOf, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { Orders } from "./Orders";

const counts = (part: object) => ({ ...anOrder().counts, ...part });
const ORDERS = [
  anOrder({ id: 1, title: "Wall texts", due_on: "2026-12-20", first: [] }),
  anOrder({ id: 2, title: "Furnace portraits", due_on: "2026-12-02", notes: "matt paper", first: [] }),
  anOrder({ id: 3, title: "Old album", archived_at: "2026-11-01T09:00:00Z", first: [] }),
  anOrder({ id: 4, title: "Vases", due_on: null, counts: counts({ results: 2, unseen: 2 }), first: [] }),
] as Order[];

// Rows are drawn as far as the list is high, and a page that is not laid out has no height.
beforeEach(() => {
  localStorage.clear();
  vi.spyOn(Element.prototype, "clientHeight", "get").mockReturnValue(900);
  answer("GET", "/house-treatments", () => []);
  answer("GET", "/products", () => []);
});
afterEach(() => vi.restoreAllMocks());

function opened(orders = ORDERS, open?: Order) {
  const told = { onOrder: vi.fn(), onShow: vi.fn(), onAdd: vi.fn(), onRuns: vi.fn() };
  const contents = open && contentsOf({ order: open, originals: [] });
  return { ...show(<Orders orders={orders} contents={contents} {...told} />), ...told };
}

const titles = () =>
  ORDERS.map(({ title }) => title)
    .filter((title) => screen.queryByRole("button", { name: new RegExp(`^${title}`) }))
    .sort();

describe("the tickets", () => {
  it("stand on their shelves", async () => {
    const { user } = opened();
    expect(titles()).toEqual(["Furnace portraits", "Vases", "Wall texts"]);
    await user.click(screen.getByRole("button", { name: "To see" }));
    expect(titles()).toEqual(["Vases"]);
    await user.click(screen.getByRole("button", { name: "Archive" }));
    expect(titles()).toEqual(["Old album"]);
  });

  it("are found by their notes, and it is said when there is none", async () => {
    const { user } = opened();
    const search = screen.getByRole("textbox", { name: "Search orders" });
    await user.type(search, "matt");
    expect(titles()).toEqual(["Furnace portraits"]);
    await user.clear(search);
    await user.type(search, "chandelier");
    expect(screen.getByText('No order here holds "chandelier".')).toBeVisible();
  });

  it("open their order", async () => {
    const { user, onOrder } = opened();
    await user.click(screen.getByRole("button", { name: /^Vases/ }));
    expect(onOrder).toHaveBeenCalledWith(4);
  });

  it.each([
    ["To see", "Nothing is waiting to be looked through."],
    ["Archive", "The archive is empty."],
  ])("of an empty shelf say so: %s", async (shelf, words) => {
    const { user } = opened(ORDERS.slice(0, 1));
    await user.click(screen.getByRole("button", { name: shelf }));
    expect(screen.getByText(words)).toBeVisible();
  });

  it("say what an order is where there is none yet", () => {
    opened([]);
    expect(screen.getByText(/An order holds the pictures of one job/)).toBeVisible();
  });
});

describe("an order that is put away", () => {
  it("comes back with one press", async () => {
    answer("POST", "/orders/4/shelve", () => null);
    const { user } = opened(ORDERS, ORDERS[3]);
    await user.click(await screen.findByRole("button", { name: "More" }));
    await user.click(await screen.findByRole("menuitem", { name: "Into the archive" }));
    expect(await screen.findByText("Vases is in the archive")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(asked()).toEqual([
        { what: "POST /orders/4/shelve", body: { to: "archived" } },
        { what: "POST /orders/4/shelve", body: { to: "current" } },
      ]),
    );
  });

  it("stays where it is when that is refused, with the reason", async () => {
    answer("POST", "/orders/4/shelve", () => new Refused(409, "Something of it is being run."));
    const { user } = opened(ORDERS, ORDERS[3]);
    await user.click(await screen.findByRole("button", { name: "More" }));
    await user.click(await screen.findByRole("menuitem", { name: "Into the archive" }));
    expect(await screen.findByText("Something of it is being run.")).toBeVisible();
    expect(screen.queryByRole("button", { name: "Undo" })).not.toBeInTheDocument();
  });
});

it("a new order is opened from here", async () => {
  answer("POST", "/orders", () => anOrder({ id: 9 }));
  const { user, onOrder } = opened();
  await user.click(screen.getByRole("button", { name: "New order" }));
  const dialog = within(await screen.findByRole("dialog"));
  await user.type(dialog.getByRole("textbox", { name: /Title/ }), "Catalogue{Enter}");
  await waitFor(() => expect(onOrder).toHaveBeenCalledWith(9));
});
