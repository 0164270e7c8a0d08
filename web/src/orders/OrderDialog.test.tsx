// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Order } from "../api/client";
import { anOrder, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { OrderDialog } from "./OrderDialog";

beforeEach(() => {
  answer("GET", "/house-treatments", () => [{ id: 5, name: "Sala grande", treatment: {} }]);
  answer("GET", "/products", () => []);
});

function opened(order?: Order) {
  const onDone = vi.fn();
  return { ...show(<OrderDialog order={order} onClose={() => undefined} onDone={onDone} />), onDone };
}

describe("a new order", () => {
  it("is opened with what is said of it", async () => {
    answer("POST", "/orders", (body) => anOrder({ id: 9, ...(body as object) }));
    const { user, onDone } = opened();
    await user.type(screen.getByRole("textbox", { name: /Title/ }), "Furnace, dusk");
    await user.type(screen.getByRole("textbox", { name: "Client" }), "Ombralunga");
    fireEvent.change(screen.getByLabelText("Due"), { target: { value: "2026-12-11" } });
    await user.click(screen.getByRole("combobox", { name: "Treatment" }));
    await user.click(await screen.findByRole("option", { name: "Sala grande" }));
    await user.keyboard("{Escape}");
    await user.click(screen.getByRole("button", { name: /Open|Create|New/ }));
    await waitFor(() => expect(onDone).toHaveBeenCalledWith(expect.objectContaining({ id: 9 })));
    expect(asked()[0]).toMatchObject({
      what: "POST /orders",
      body: { title: "Furnace, dusk", client: "Ombralunga", due_on: "2026-12-11", house_treatment_id: 5 },
    });
  });

  it("keeps what was typed when it is refused, and says why", async () => {
    answer("POST", "/orders", () => new Refused(422, "A title has at most 200 characters."));
    const { user, onDone } = opened();
    const title = screen.getByRole("textbox", { name: /Title/ });
    await user.type(title, "Furnace{Enter}");
    expect(await screen.findByText("A title has at most 200 characters.")).toBeVisible();
    expect(title).toHaveValue("Furnace");
    expect(title).toBeInvalid();
    expect(onDone).not.toHaveBeenCalled();
  });
});

it("an order that is there is changed, and a date taken off it", async () => {
  answer("PUT", "/orders/3", () => anOrder());
  const { user, onDone } = opened(anOrder({ due_on: "2026-12-01" }));
  expect(screen.getByRole("textbox", { name: /Title/ })).toHaveValue("Glassworks exhibition");
  fireEvent.change(screen.getByLabelText("Due"), { target: { value: "" } });
  await user.type(screen.getByRole("textbox", { name: "Purpose" }), "{Enter}");
  await waitFor(() => expect(onDone).toHaveBeenCalled());
  expect(asked()).toHaveLength(1);
  expect(asked()[0]).toMatchObject({ what: "PUT /orders/3", body: { due_on: null, purpose: "wall prints" } });
});

describe("when somebody else was quicker", () => {
  const theirs = anOrder({ notes: "two vases", version: "theirs" });

  function overtaken() {
    let puts = 0;
    answer("PUT", "/orders/3", (body) => {
      puts += 1;
      return puts === 1 ? new Refused(412, "somebody else has changed this order", "order.changed") : body;
    });
    answer("GET", "/orders/3", () => ({ order: theirs }));
    return opened(anOrder({ version: "mine" }));
  }

  it("theirs are taken, and nothing of them is overwritten", async () => {
    const { user } = overtaken();
    await user.type(screen.getByRole("textbox", { name: "Notes" }), "three vases");
    await user.click(screen.getByRole("button", { name: "Keep" }));
    await user.click(await screen.findByRole("button", { name: "Take theirs" }));
    await waitFor(() => expect(screen.getByRole("textbox", { name: "Notes" })).toHaveValue("two vases"));
    expect(asked()).toHaveLength(1);
  });

  it("or one's own are kept, when that is what is wanted", async () => {
    const { user, onDone } = overtaken();
    await user.type(screen.getByRole("textbox", { name: "Notes" }), "three vases");
    await user.click(screen.getByRole("button", { name: "Keep" }));
    await user.click(await screen.findByRole("button", { name: "Keep mine" }));
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(asked()[1]).toMatchObject({ what: "PUT /orders/3", body: { notes: "three vases" } });
  });
});
