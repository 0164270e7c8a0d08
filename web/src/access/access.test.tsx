// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import { ShareDialog } from "../orders/ShareDialog";
import { anOrder, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { SignIn } from "./SignIn";

describe("signing in", () => {
  async function tried(password: string) {
    const { user } = show(<SignIn />);
    const enter = screen.getByRole("button", { name: "Sign in" });
    expect(enter).toBeDisabled();
    await user.type(screen.getByRole("textbox", { name: "Name" }), "tecla");
    await user.type(screen.getByLabelText("Password"), password);
    await user.click(enter);
  }

  it("sends name and password once", async () => {
    answer("POST", "/session", () => ({ name: "tecla", role: "technician" }));
    await tried("murrine 1926");
    await waitFor(() => expect(asked()).toEqual([{ what: "POST /session", body: { name: "tecla", password: "murrine 1926" } }])); // prettier-ignore
  });

  it("says why nobody was let in", async () => {
    answer("POST", "/session", () => new Refused(401, "Name or password is wrong."));
    await tried("murano");
    expect(await screen.findByText("Name or password is wrong.")).toBeVisible();
  });
});

describe("a client's link", () => {
  beforeEach(() => answer("GET", "/orders/3/links", () => [{ id: 4, expires_at: "2026-12-10T12:00:00Z" }]));

  it("is shown once, to be copied", async () => {
    answer("POST", "/orders/3/links", () => ({ id: 5, path: "/look/abc", expires_at: "2026-12-03T12:00:00Z" }));
    const { user } = show(<ShareDialog order={anOrder()} onClose={() => undefined} />);
    const days = screen.getByRole("textbox", { name: "Days" });
    await user.clear(days);
    expect(screen.getByRole("button", { name: "Make a link" })).toBeDisabled();
    await user.type(days, "7");
    await user.click(screen.getByRole("button", { name: "Make a link" }));
    expect(await screen.findByRole("textbox", { name: /Copy it now/ })).toHaveValue(
      `${window.location.origin}/look/abc`,
    );
    expect(asked()[0]).toEqual({ what: "POST /orders/3/links", body: { days: 7 } });
  });

  it("ends before its time", async () => {
    answer("DELETE", "/orders/3/links/4", () => null);
    const { user } = show(<ShareDialog order={anOrder()} onClose={() => undefined} />);
    expect(await screen.findByText("A link that holds until 10 December")).toBeVisible();
    answer("GET", "/orders/3/links", () => []);
    await user.click(screen.getByRole("button", { name: "End it" }));
    await waitFor(() => expect(screen.queryByText(/A link that holds/)).not.toBeInTheDocument());
    expect(asked()).toHaveLength(1);
  });
});
