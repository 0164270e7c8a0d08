// @vitest-environment jsdom
import { QueryClient } from "@tanstack/react-query";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { openingQuery, planQuery } from "../api/queries";
import { aPlan, anIntent, anOrder, anOriginal } from "../testing/render";
import { Refused, answer } from "../testing/server";
import { prepareFirst } from "./first";

const at = (address: string) => window.history.replaceState(null, "", address);

function orderOfTwo() {
  answer("GET", "/orders", () => [anOrder({ id: 4 })]);
  answer("GET", "/models", () => []);
  answer("GET", "/orders/4", () => ({
    order: anOrder({ id: 4 }),
    originals: [anOriginal({ id: 10 }), anOriginal({ id: 11 })],
    enlargements: [],
    jobs: [],
  }));
  answer("GET", "/originals/*/intent", () => anIntent());
  answer("GET", "/originals/*/opening", () => ({ x: 3, y: 4 }));
  answer("POST", "/originals/*/plan", () => aPlan());
}

beforeEach(() => localStorage.clear());

describe("before anything is drawn", () => {
  it.each([
    ["/", "/orders/4/pictures/10", 10],
    ["/orders/4/bench?compare=blink", "/orders/4/pictures/10?compare=blink", 10],
    ["/orders/4/pictures/11?spot=2", "/orders/4/pictures/11?spot=2", 11],
  ])("what %s shows is asked for, and the address names the picture", async (address, named, id) => {
    orderOfTwo();
    at(address);
    const client = new QueryClient();
    expect(await prepareFirst(client)).toBe(true);
    expect(window.location.pathname + window.location.search).toBe(named);
    expect(client.getQueryData(openingQuery(id).queryKey)).toEqual({ x: 3, y: 4 });
    expect(client.getQueryData(planQuery(id, anIntent()).queryKey)).toEqual(aPlan());
  });

  it("the picture that was seen last is taken", async () => {
    orderOfTwo();
    localStorage.setItem("dettaglio.pictures", JSON.stringify({ 4: 11 }));
    at("/orders/4/bench");
    await prepareFirst(new QueryClient());
    expect(window.location.pathname).toBe("/orders/4/pictures/11");
  });

  it.each(["/runs", "/orders/4", "/orders/4/pictures/10/strip", "/orders/4/pictures/99", "/nowhere"])(
    "no picture is awaited at %s",
    async (address) => {
      orderOfTwo();
      at(address);
      expect(await prepareFirst(new QueryClient())).toBe(false);
      expect(window.location.pathname).toBe(address);
    },
  );

  it("what is refused is left to the views", async () => {
    answer("GET", "/orders", () => new Refused(401, "sign in first", "access.sign-in"));
    at("/");
    expect(await prepareFirst(new QueryClient())).toBe(false);
  });

  it("a server that takes its time keeps nobody waiting", async () => {
    vi.useFakeTimers();
    answer("GET", "/orders", () => new Promise(() => undefined));
    const prepared = prepareFirst(new QueryClient());
    await vi.advanceTimersByTimeAsync(800);
    expect(await prepared).toBe(false);
    vi.useRealTimers();
  });
});
