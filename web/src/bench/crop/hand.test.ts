import { describe, expect, it, vi } from "vitest";
import type { Drawing, Drawn } from "../../api/client";
import { PLAIN_FRAME } from "../intent";
import { Hand } from "./hand";

const DRAWN: Drawn = {
  turned: { width: 300, height: 200 },
  rect: { x: 10, y: 20, width: 100, height: 50 },
  shape: "free",
  crop: { x: 10, y: 20, width: 100, height: 50 },
  size: { width: 100, height: 50 },
};

const BEGUN = { frame: PLAIN_FRAME, target: { by: "factor", factor: 2 } } as const;

/** A hand whose questions are answered one by one. */
function hand() {
  const questions: { drawing: Drawing; answer: (drawn?: Drawn) => void }[] = [];
  const [drawn, failed] = [vi.fn(), vi.fn()];
  const ask = (drawing: Drawing) =>
    new Promise<Drawn>((resolve, reject) =>
      questions.push({ drawing, answer: (drawn) => (drawn ? resolve(drawn) : reject(new Error("away"))) }),
    );
  const made = new Hand(BEGUN, ask, drawn, failed);
  const answer = async (given?: Drawn) => {
    questions.at(-1)?.answer(given);
    await new Promise((resolve) => setTimeout(resolve, 0));
  };
  const changes = () => questions.map(({ drawing }) => drawing.change);
  return { made, answer, drawn, failed, questions, changes };
}

const drag = (dx: number, dy: number) => ({ do: "drag", across: 1, down: 1, dx, dy }) as const;

describe("a hand", () => {
  it("asks for what it did while it waited all at once, each side by itself", async () => {
    const { made, answer, changes, questions } = hand();
    made.does({ change: drag(1, 2) });
    made.does({ change: drag(3, 4) });
    made.does({ change: { ...drag(5, 6), down: 0 } });
    await answer(DRAWN);
    await answer(DRAWN);
    expect(changes()).toEqual([{ do: "begin" }, drag(4, 6), { ...drag(5, 6), down: 0 }]);
    expect(questions[1]?.drawing.rect).toEqual(DRAWN.rect);
  });

  it("gives the frame only when all is known", async () => {
    const { made, answer, questions } = hand();
    made.does({ change: { do: "fit" }, degrees: 2 });
    made.does({ change: { do: "fit" }, degrees: 3 });
    const done = made.done();
    await answer(DRAWN);
    expect(questions.at(-1)?.drawing.frame.degrees).toBe(3);
    await answer({ ...DRAWN, crop: null });
    expect(await done).toEqual({ ...PLAIN_FRAME, degrees: 3, crop: null });
  });

  it("keeps what it had when the server does not answer", async () => {
    const { made, answer, drawn, failed } = hand();
    await answer(DRAWN);
    made.does({ change: { do: "fit" }, degrees: 3 });
    await answer();
    expect(failed).toHaveBeenCalledOnce();
    expect(drawn).toHaveBeenCalledOnce();
    expect(await made.done()).toEqual({ ...PLAIN_FRAME, crop: DRAWN.crop });
  });
});
