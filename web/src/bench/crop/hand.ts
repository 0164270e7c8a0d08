/**
 * The hand that draws a crop: what becomes of the rectangle is the server's to say.
 *
 * Plain TypeScript without React. One question is under way at a time; what the hand does meanwhile is asked for together, so that
 * the rectangle keeps up however fast the hand is.
 */

import type { CropChange, CropShape, Drawing, Drawn, Frame } from "../../api/client";

/** What is asked of a rectangle. */
interface Wish {
  change: CropChange;
  shape?: CropShape;
  degrees?: number;
}

/** Two drags of the same side are one. */
function together(first: CropChange, second: CropChange): CropChange | undefined {
  if (first.do !== "drag" || second.do !== "drag") return first.do === second.do ? second : undefined;
  if (first.across !== second.across || first.down !== second.down) return undefined;
  return { ...second, dx: first.dx + second.dx, dy: first.dy + second.dy };
}

export class Hand {
  private now: Drawn | undefined;
  private degrees: number;
  private readonly waiting: Wish[] = [];
  private asking: Promise<void> | undefined;

  constructor(
    private readonly begun: Pick<Drawing, "frame" | "target">,
    private readonly ask: (drawing: Drawing) => Promise<Drawn>,
    private readonly drawn: (drawn: Drawn) => void,
    private readonly failed: (error: unknown) => void,
  ) {
    this.degrees = begun.frame.degrees ?? 0;
    this.does({ change: { do: "begin" } });
  }

  does(wish: Wish): void {
    const last = this.waiting.at(-1);
    const change = last && together(last.change, wish.change);
    if (last && change) this.waiting.splice(-1, 1, { ...last, ...wish, change });
    else this.waiting.push(wish);
    this.asking ??= this.askAll();
  }

  /** The frame with what was drawn, once all of that is known; nothing when the server could not say. */
  async done(): Promise<Frame | undefined> {
    await this.asking;
    return this.now && { ...this.begun.frame, degrees: this.degrees, crop: this.now.crop ?? null };
  }

  private async askAll(): Promise<void> {
    for (let wish = this.waiting.shift(); wish; wish = this.waiting.shift()) {
      const { frame, target } = this.begun;
      const degrees = wish.degrees ?? this.degrees;
      const shape = wish.shape ?? this.now?.shape;
      try {
        const drawing = { frame: { ...frame, degrees }, target, shape, rect: this.now?.rect, change: wish.change };
        this.now = await this.ask(drawing);
        this.degrees = degrees;
        this.drawn(this.now);
      } catch (error) {
        this.failed(error);
      }
    }
    this.asking = undefined;
  }
}
