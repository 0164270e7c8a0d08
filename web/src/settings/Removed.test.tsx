// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Removed } from "../api/client";
import { show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { RemovedPanel } from "./Removed";

const thing = (more: Partial<Removed>): Removed => ({
  kind: "original",
  id: 4,
  name: "vases.jpg",
  of: "Room 2",
  bytes: 41_000_000,
  removed_at: "2026-11-20T10:00:00Z",
  ...more,
});
const ORDER = thing({
  kind: "order",
  id: 2,
  name: "Room 3",
  of: "",
  bytes: 2e9,
  removed_at: "2026-11-24T09:30:00.125Z",
});
const RESULT = thing({ kind: "result", id: 9, name: "vases-x4.tif", of: "Room 2" });

beforeEach(() => answer("GET", "/removed", () => [ORDER, thing({}), RESULT]));

const rows = async () => (await screen.findAllByRole("listitem")).map((row) => within(row));

describe("what was removed", () => {
  it("is listed with what it is, when it was removed and its size", async () => {
    show(<RemovedPanel />);
    const [order, original, result] = await rows();
    expect(order?.getByText("Room 3")).toBeVisible();
    expect(order?.getByText("order, removed 24/11/2026")).toBeVisible();
    expect(order?.getByText("2 GB")).toBeVisible();
    expect(original?.getByText(/^picture of Room 2, removed/)).toBeVisible();
    expect(result?.getByText(/^result for Room 2, removed/)).toBeVisible();
    expect(screen.getByText("1 order, 1 picture and 1 result, 2.08 GB")).toBeVisible();
  });

  it.each([
    ["Room 3", "POST /orders/2/shelve", { to: "current" }],
    ["vases.jpg", "POST /originals/4/restore", undefined],
    ["vases-x4.tif", "POST /enlargements/9/restore", undefined],
  ])("is put back: %s", async (name, what, body) => {
    answer("POST", what.split(" ")[1] ?? "", () => {
      answer("GET", "/removed", () => []);
      return null;
    });
    const { user } = show(<RemovedPanel />);
    await user.click(await screen.findByRole("button", { name: `Put ${name} back` }));
    expect(await screen.findByText("Nothing is removed.")).toBeVisible();
    const put = asked().find((request) => request.what === what);
    expect(put).toBeDefined();
    if (body) expect(put?.body).toEqual(body);
  });

  it("says why it could not be put back", async () => {
    answer("POST", "/originals/4/restore", () => new Refused(404, "There is no original 4."));
    const { user } = show(<RemovedPanel />);
    await user.click(await screen.findByRole("button", { name: "Put vases.jpg back" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("There is no original 4.");
    expect(await rows()).toHaveLength(3);
  });
});

describe("deleting for good", () => {
  const ask = async () => {
    const { user } = show(<RemovedPanel />);
    await user.click(await screen.findByRole("button", { name: "Delete for good …" }));
    const dialog = within(
      await screen.findByRole("dialog", { name: "Delete 1 order, 1 picture and 1 result for good?" }),
    );
    return { user, dialog };
  };

  it("happens only when it is confirmed", async () => {
    const { user, dialog } = await ask();
    expect(dialog.getByText(/Nothing brings them back/)).toHaveTextContent("2.08 GB");
    await user.click(dialog.getByRole("button", { name: "Keep them" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).not.toBeInTheDocument());
    expect(asked().filter(({ what }) => what.startsWith("DELETE"))).toEqual([]);
    expect(await rows()).toHaveLength(3);
  });

  it("takes what was shown and nothing that was removed later, and says what stayed", async () => {
    let until: string | null = null;
    answer("DELETE", "/removed", (_, address) => {
      until = address.searchParams.get("until");
      answer("GET", "/removed", () => [thing({})]);
      return { orders: 1, originals: 3, results: 4, busy: 1 };
    });
    const { user, dialog } = await ask();
    await user.click(dialog.getByRole("button", { name: "Delete for good" }));
    expect(await screen.findByText(/^1 picture stayed, because a run of it waits/)).toBeVisible();
    await waitFor(async () => expect(await rows()).toHaveLength(1));
    expect(until).toBe(ORDER.removed_at);
  });

  it("that fails leaves the list and says why", async () => {
    answer("DELETE", "/removed", () => new Refused(500, "The database cannot be reached."));
    const { user, dialog } = await ask();
    await user.click(dialog.getByRole("button", { name: "Delete for good" }));
    expect(await screen.findByText(/The database cannot be reached/)).toBeVisible();
    expect(await rows()).toHaveLength(3);
  });
});
