// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { aModel, anOrder, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { EditDialog } from "./EditDialog";
import { ShareDialog } from "./ShareDialog";

const PRINT = {
  target: { by: "print", paper: { width: 40, height: 30, unit: "cm" }, ppi: 254 },
  surround: { kind: "none" },
};

beforeEach(() => {
  answer("GET", "/models", () => [aModel({ id: "faces", kind: "face", strength: 0.6 })]);
  answer("GET", "/house-treatments", () => [{ id: 5, name: "Sala grande", treatment: {} }]);
  answer("GET", "/products", () => [{ id: 2, name: "Gallery 40", print: PRINT, least_ppi: null }]);
});

describe("several pictures at once", () => {
  function opened() {
    const onDone = vi.fn<(text: string, undo: () => Promise<unknown>) => void>();
    return {
      ...show(<EditDialog order={anOrder()} originals={[7, 8]} onClose={() => undefined} onDone={onDone} />),
      onDone,
    };
  }
  const choose = async (user: ReturnType<typeof opened>["user"], field: string, option: RegExp) => {
    await user.click(screen.getByRole("combobox", { name: field }));
    await user.click(await screen.findByRole("option", { name: option }));
  };

  it("cannot be changed before something is chosen", async () => {
    const { user } = opened();
    expect(screen.getByRole("heading", { name: "Change 2 pictures" })).toBeVisible();
    const change = screen.getByRole("button", { name: "Change" });
    expect(change).toBeDisabled();
    await choose(user, "Faces", /left to the enlarging model/);
    expect(change).toBeEnabled();
    await choose(user, "Faces", /leave as they are/);
    expect(change).toBeDisabled();
  });

  it("are changed in what was chosen, and changed back", async () => {
    const before = [7, 8].map((id) => ({ id, before: { letter: id === 7 ? "A" : "B" } }));
    answer("POST", "/orders/3/edit", () => before);
    answer("PUT", "/originals/*/intent", () => null);
    const { user, onDone } = opened();
    await choose(user, "Print", /Gallery 40/);
    await choose(user, "Treatment", /Sala grande/);
    await choose(user, "Faces", /restored at 60 %/);
    await user.click(screen.getByRole("checkbox"));
    await user.click(screen.getByRole("button", { name: "Change" }));
    await waitFor(() => expect(onDone).toHaveBeenCalledWith("2 pictures were changed", expect.any(Function)));
    expect(asked()).toEqual([
      {
        what: "POST /orders/3/edit",
        body: {
          originals: [7, 8],
          print: PRINT,
          treating: { how: "house", id: 5 },
          faces: { how: "restored", strength: 0.6 },
          crop_to_print: true,
        },
      },
    ]);
    await onDone.mock.lastCall![1]();
    expect(asked().slice(1)).toEqual([
      { what: "PUT /originals/7/intent", body: { letter: "A" } },
      { what: "PUT /originals/8/intent", body: { letter: "B" } },
    ]);
  });

  it("stay as they are when it is refused, with the reason", async () => {
    answer("POST", "/orders/3/edit", () => new Refused(409, "One of them was removed meanwhile."));
    const { user, onDone } = opened();
    await user.click(screen.getByRole("checkbox"));
    await user.click(screen.getByRole("button", { name: "Change" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("One of them was removed meanwhile.");
    expect(onDone).not.toHaveBeenCalled();
  });
});

describe("a link for the client", () => {
  let links: { id: number; expires_at: string }[] = [];
  beforeEach(() => {
    links = [];
    answer("GET", "/orders/3/links", () => links);
  });

  it("is made for some days and shown once", async () => {
    answer("POST", "/orders/3/links", () => {
      links = [{ id: 1, expires_at: "2026-12-10T12:00:00Z" }];
      return { path: "/look/abc" };
    });
    const { user } = show(<ShareDialog order={anOrder()} onClose={() => undefined} />);
    const days = screen.getByRole("textbox", { name: "Days" });
    await user.clear(days);
    expect(screen.getByRole("button", { name: "Make a link" })).toBeDisabled();
    await user.type(days, "3");
    await user.click(screen.getByRole("button", { name: "Make a link" }));
    const link = await screen.findByRole("textbox", { name: /it is shown this once/ });
    expect(link).toHaveValue(`${window.location.origin}/look/abc`);
    expect(link).toHaveAttribute("readonly");
    expect(await screen.findByText("A link that holds until 10 December")).toBeVisible();
    expect(asked()).toEqual([{ what: "POST /orders/3/links", body: { days: 3 } }]);
  });

  it("is ended before its time", async () => {
    links = [1, 2].map((id) => ({ id, expires_at: `2026-12-1${id}T12:00:00Z` }));
    answer("DELETE", "/orders/3/links/2", () => {
      links = links.slice(0, 1);
      return null;
    });
    const { user } = show(<ShareDialog order={anOrder()} onClose={() => undefined} />);
    const second = (await screen.findByText("A link that holds until 12 December")).parentElement!;
    await user.click(within(second).getByRole("button", { name: "End it" }));
    await waitFor(() => expect(screen.queryByText("A link that holds until 12 December")).not.toBeInTheDocument());
    expect(screen.getByText("A link that holds until 11 December")).toBeVisible();
  });

  it("says why none can be made", async () => {
    answer("POST", "/orders/3/links", () => new Refused(409, "The server listens to this machine alone."));
    const { user } = show(<ShareDialog order={anOrder()} onClose={() => undefined} />);
    await user.click(screen.getByRole("button", { name: "Make a link" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("The server listens to this machine alone.");
  });
});
