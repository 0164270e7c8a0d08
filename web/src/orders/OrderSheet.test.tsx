// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { OrderContents } from "../api/client";
import { aJob, aResult, anOrder, contentsOf, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { OrderSheet } from "./OrderSheet";

beforeEach(() => {
  answer("GET", "/devices", () => ({ inbox: "/inbox", shop: null, printer: "http://printer", troubles: [] }));
  answer("GET", "/orders/*/printings", () => []);
  answer("GET", "/products", () => []);
  answer("GET", "/house-treatments", () => []);
  answer("DELETE", "/originals/*", () => null);
  answer("POST", "/originals/*/restore", () => null);
});

function opened(part: Partial<OrderContents> = {}) {
  const told = {
    onShow: vi.fn<(original: number) => void>(),
    onAdd: vi.fn<(files: File[]) => void>(),
    onRuns: vi.fn<() => void>(),
    onChange: vi.fn<() => void>(),
    onArchive: vi.fn<() => void>(),
    onRemove: vi.fn<() => void>(),
  };
  return { ...show(<OrderSheet contents={contentsOf(part)} {...told} />), ...told };
}

const choose = (id: number) => screen.getByRole("button", { name: `Choose picture-${id}.jpg` });

describe("an empty order", () => {
  it("says how pictures come into it, and takes them", async () => {
    const { user, onAdd, container } = opened({ originals: [] });
    expect(screen.getByText("This order is empty")).toBeVisible();
    expect(screen.getByTestId("batch")).toBeDisabled();
    const file = new File(["jpeg"], "fornace.jpg", { type: "image/jpeg" });
    const input = container.querySelector<HTMLInputElement>("input[type=file]");
    if (input) await user.upload(input, file);
    expect(onAdd).toHaveBeenCalledWith([file]);
  });
});

describe("choosing", () => {
  it("takes a range with shift, and says what it comes to", async () => {
    const { user } = opened();
    await user.click(choose(7));
    await user.keyboard("{Shift>}");
    await user.click(choose(9));
    await user.keyboard("{/Shift}");
    expect(screen.getByText("3 of 3 chosen")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Choose none" }));
    expect(screen.getByText("3 pictures")).toBeVisible();
    await user.click(choose(8));
    expect(screen.getByTestId("batch")).toHaveTextContent("Run 1");
  });

  it("takes pictures out, and back again", async () => {
    const { user } = opened();
    expect(screen.getByRole("button", { name: "Take out" })).toBeDisabled();
    await user.click(choose(7));
    await user.click(choose(8));
    await user.click(screen.getByRole("button", { name: "Take out" }));
    expect(await screen.findByText("2 pictures are out of the order; files and results are kept")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(asked().map(({ what }) => what)).toEqual([
        "DELETE /originals/7",
        "DELETE /originals/8",
        "POST /originals/7/restore",
        "POST /originals/8/restore",
      ]),
    );
  });
});

it("a picture is put on the bench by its name too, which says its size to who cannot see it", async () => {
  const { user, onShow } = opened();
  const picture = screen.getByRole("button", { name: /^picture-8.jpg .+ px, / });
  expect(picture).toHaveAccessibleDescription("Put on the bench");
  await user.click(within(picture).getByText("picture-8.jpg"));
  expect(onShow).toHaveBeenCalledWith(8);
});

describe("changing many at once", () => {
  it("says how many were changed, and undoes it one by one", async () => {
    const before = { target: { by: "factor", factor: 2 } };
    answer("POST", "/orders/3/edit", () => [{ id: 7, before }, { id: 9, before }]); // prettier-ignore
    answer("PUT", "/originals/*/intent", () => null);
    const { user } = opened();
    await user.click(screen.getByRole("button", { name: "Change all" }));
    const dialog = within(await screen.findByRole("dialog", { name: "Change 3 pictures" }));
    expect(dialog.getByRole("button", { name: "Change" })).toBeDisabled();
    await user.click(dialog.getByRole("checkbox", { name: /Crop each/ }));
    await user.click(dialog.getByRole("button", { name: "Change" }));
    expect(await screen.findByText("2 pictures were changed")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(asked().filter(({ what }) => what.startsWith("PUT"))).toHaveLength(2));
    expect(asked()[0]).toMatchObject({
      what: "POST /orders/3/edit",
      body: { originals: [7, 8, 9], crop_to_print: true },
    });
    expect(asked()[1]).toEqual({ what: "PUT /originals/7/intent", body: before });
  });

  it("says why it was refused", async () => {
    answer("POST", "/orders/3/edit", () => new Refused(409, "The order is in the archive."));
    const { user } = opened();
    await user.click(screen.getByRole("button", { name: "Change all" }));
    await user.click(await screen.findByRole("checkbox", { name: /Crop each/ }));
    await user.click(screen.getByRole("button", { name: "Change" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("The order is in the archive.");
  });
});

describe("what became of a picture", () => {
  const stateOf = (name: string) =>
    within(screen.getByRole("button", { name: `Choose ${name}` }).closest("li") ?? document.body);

  it("is told on its frame, the latest that counts", async () => {
    answer("GET", "/orders/*/printings", () => [{ enlargement_id: 22, state: "refused", answer: "no paper" }]);
    opened({
      jobs: [aJob({ original_id: 7, state: "failed", reason: "the file is damaged" })],
      enlargements: [
        aResult({ id: 21, original_id: 8, verdict: "sent_back" } as never),
        aResult({ id: 22, original_id: 9, verdict: "accepted" } as never),
      ],
    });
    expect(stateOf("picture-7.jpg").getByText("failed")).toHaveAttribute("title", "the file is damaged");
    expect(stateOf("picture-8.jpg").getByText("sent back")).toBeVisible();
    expect(await stateOf("picture-9.jpg").findByText("printer: no paper")).toBeVisible();
  });

  it("is looked through as long as something was not", () => {
    opened({ enlargements: [aResult({ id: 21 }), aResult({ id: 22 })] });
    expect(screen.getByRole("button", { name: "Look through (2)" })).toBeEnabled();
  });
});

describe("what is done with the order", () => {
  it("sends what was accepted to the printer, one after the other", async () => {
    answer("POST", "/enlargements/*/print", () => null);
    const enlargements = [21, 22].map((id) => aResult({ id, verdict: "accepted" } as never));
    const { user } = opened({ enlargements });
    await user.click(screen.getByRole("button", { name: "More" }));
    await user.click(await screen.findByRole("menuitem", { name: "Send 2 accepted to the printer" }));
    await waitFor(() => expect(asked().map(({ what }) => what)).toEqual(["POST /enlargements/21/print", "POST /enlargements/22/print"])); // prettier-ignore
  });

  it("delivers nothing while nothing is accepted, and goes into the archive and back", async () => {
    const { user, onArchive, onRemove } = opened({ order: anOrder({ archived_at: "2026-11-20T10:00:00Z" }) });
    await user.click(screen.getByRole("button", { name: "More" }));
    expect(await screen.findByRole("menuitem", { name: /Deliver as zip.*\(0 accepted\)/ })).toHaveAttribute("aria-disabled", "true"); // prettier-ignore
    await user.click(screen.getByRole("menuitem", { name: "Back into work" }));
    expect(onArchive).toHaveBeenCalled();
    await user.click(screen.getByRole("button", { name: "More" }));
    await user.click(await screen.findByRole("menuitem", { name: "Remove this order" }));
    expect(onRemove).toHaveBeenCalled();
  });
});
