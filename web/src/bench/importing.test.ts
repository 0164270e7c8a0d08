// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { type Imported, sendFile } from "../api/client";
import { anOriginal } from "../testing/render";
import { droppedFiles, useImports } from "./importing";

vi.mock("../api/client", async (original) => ({ ...(await original<object>()), sendFile: vi.fn() }));

interface Sent {
  name: string;
  progress: (share: number) => void;
  arrive: (outcomes: unknown[]) => void;
  fail: (error: unknown) => void;
}
let sent: Sent[] = [];

beforeEach(() => {
  sent = [];
  vi.mocked(sendFile).mockImplementation(
    (_, { name }, progress) =>
      new Promise((resolve, reject) =>
        sent.push({ name, progress, arrive: (outcomes) => resolve(outcomes as Imported[]), fail: reject }),
      ),
  );
});

function imports(order: number | undefined = 3) {
  const arrived = vi.fn();
  const client = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client }, children);
  const { result } = renderHook(() => useImports(order, arrived), { wrapper });
  const add = (...names: string[]) => act(() => result.current.add(names.map((name) => new File(["x"], name))));
  return { now: () => result.current, add, arrived };
}

const names = () => sent.map(({ name }) => name);

describe("files on their way", () => {
  it("go three at a time, each with the share that is sent", async () => {
    const { now, add } = imports();
    add("a.jpg", "b.jpg", "c.jpg", "d.jpg");
    expect(names()).toEqual(["a.jpg", "b.jpg", "c.jpg"]);
    expect(now().arriving.map(({ name }) => name)).toEqual(["a.jpg", "b.jpg", "c.jpg", "d.jpg"]);
    act(() => sent[1]!.progress(0.5));
    expect(now().arriving.map((a) => a.sent)).toEqual([0, 0.5, 0, 0]);
    await act(async () => sent[2]!.arrive([{ name: "c.jpg", original: anOriginal({ id: 30 }) }]));
    await waitFor(() => expect(names()).toEqual(["a.jpg", "b.jpg", "c.jpg", "d.jpg"]));
    expect(now().arriving.map(({ name }) => name)).toEqual(["a.jpg", "b.jpg", "d.jpg"]);
  });

  it("show the first of them as soon as it is there, and only that", async () => {
    const { add, arrived } = imports();
    add("a.jpg", "b.jpg");
    await act(async () => sent[1]!.arrive([{ name: "b.jpg", original: anOriginal({ id: 31 }) }]));
    expect(arrived).not.toHaveBeenCalled();
    await act(async () => sent[0]!.arrive([{ name: "a.jpg", original: anOriginal({ id: 30 }) }]));
    expect(arrived.mock.calls).toEqual([[30]]);
  });

  it("that are refused do not hold up the others, and are named with the reason", async () => {
    const { now, add } = imports();
    add("torn.tif", "a.zip", "gone.png");
    await act(async () => sent[0]!.arrive([{ name: "torn.tif", refused: { detail: "the file ends too early" } }]));
    await act(async () =>
      sent[1]!.arrive([
        { name: "in/one.jpg", original: anOriginal(), already_there: true },
        { name: "in/two.txt", refused: { detail: "this is no picture" } },
      ]),
    );
    await act(async () => sent[2]!.fail(new TypeError("no answer")));
    expect(now().arriving).toEqual([]);
    expect(now().notices.map(({ name, text, refused }) => [name, text, refused])).toEqual([
      ["torn.tif", "the file ends too early", true],
      ["in/one.jpg", "the order has this very file already", false],
      ["in/two.txt", "this is no picture", true],
      ["gone.png", "The server does not answer: is it still running?", true],
    ]);
    act(() => now().dismiss());
    expect(now().notices).toEqual([]);
  });

  it("go nowhere while no order is open", () => {
    const { result } = renderHook(() => useImports(undefined, vi.fn()), {
      wrapper: ({ children }: { children: ReactNode }) =>
        createElement(QueryClientProvider, { client: new QueryClient() }, children),
    });
    act(() => result.current.add([new File(["x"], "a.jpg")]));
    expect(sent).toEqual([]);
  });
});

describe("what is dropped", () => {
  const file = (name: string) => ({
    name,
    isFile: true,
    file: (done: (f: File) => void) => done(new File(["x"], name)),
  });
  /** A folder that is read in portions, as browsers do. */
  const folder = (name: string, ...inner: object[]) => {
    const portions = [inner.slice(0, 2), inner.slice(2), []];
    return {
      name,
      isFile: false,
      createReader: () => ({ readEntries: (done: (some: object[]) => void) => done(portions.shift() ?? []) }),
    };
  };
  const transfer = (entries: (object | null)[], files: File[] = []) =>
    ({ items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })), files }) as unknown as DataTransfer;

  it("is taken with all that its folders hold, but not what is hidden", async () => {
    const inner = folder("raw", file("1.dng"), file(".index"));
    const dropped = transfer([
      file("a.jpg"),
      folder("roll 3", file("b.jpg"), inner, file("c.jpg")),
      folder(".trash", file("x.jpg")),
    ]);
    expect((await droppedFiles(dropped)).map(({ name }) => name)).toEqual(["a.jpg", "b.jpg", "1.dng", "c.jpg"]);
  });

  it("is taken as files where a browser knows no folders", async () => {
    const plain = new File(["x"], "a.jpg");
    expect(await droppedFiles(transfer([null], [plain]))).toEqual([plain]);
  });
});
