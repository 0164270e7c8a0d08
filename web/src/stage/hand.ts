/** The hand on the canvas: fingers, mouse and wheel, told to a table in device pixels of the canvas. */

/** A place on the canvas, in device pixels. */
export type At = [number, number];

/** What lies under the hand. */
export interface Table {
  /** Moves by so many device pixels. */
  pan(dx: number, dy: number): void;
  /** Comes so many times closer, a place staying where it is. */
  closer(times: number, at: At): void;
  /** A place was clicked twice. */
  twice(at: At): void;
  /** Begins to work with the tool at hand, if there is one and the place is on the picture. */
  begin(at: At): boolean;
  work(at: At): void;
  end(): void;
  /** Where the pointer is; nothing when it has left. `down` while it is pressed. */
  pointer(at: At | undefined, down: boolean): void;
  /** A finger has rested long enough to look closer, or no longer does. */
  rests(long: boolean): void;
}

/** How long a finger rests before it looks closer instead of moving the picture, in ms, and how far it may tremble, in CSS pixels. */
const LONG = 450;
const TREMBLES = 8;

export class Hand {
  /** Fingers and buttons that are down, by where they are. */
  private readonly down = new Map<number, At>();
  private working = false;
  private rest?: { timer: number; from: At };
  private close = false;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly table: Table,
  ) {
    this.each((type, listener) => canvas.addEventListener(type, listener, { passive: false }));
  }

  dispose(): void {
    this.restless();
    this.each((type, listener) => this.canvas.removeEventListener(type, listener));
  }

  /** Lets go of the tool: another one lies at hand. */
  drop(): void {
    this.working = false;
  }

  private each(act: (type: string, listener: EventListener) => void): void {
    const listeners = {
      pointerdown: this.grab,
      pointermove: this.move,
      pointerup: this.letGo,
      pointercancel: this.letGo,
      pointerleave: this.leave,
      wheel: this.wheel,
      dblclick: this.doubleClick,
      // A finger that rests looks closer: no menu comes in between.
      contextmenu: this.menu,
    };
    for (const [type, listener] of Object.entries(listeners)) act(type, listener as EventListener);
  }

  private readonly grab = (e: PointerEvent) => {
    if (e.button !== 0 && e.button !== 1) return;
    this.canvas.setPointerCapture(e.pointerId);
    const at = this.onCanvas(e);
    this.down.set(e.pointerId, at);
    this.restless();
    this.working = e.button === 0 && this.down.size === 1 && this.table.begin(at);
    if (e.pointerType !== "touch" || this.working || this.down.size > 1) return;
    const timer = window.setTimeout(() => {
      this.close = true;
      this.table.pointer(at, true);
      this.table.rests(true);
    }, LONG);
    this.rest = { timer, from: at };
  };

  private readonly move = (e: PointerEvent) => {
    const before = this.down.get(e.pointerId);
    const now = this.onCanvas(e);
    this.table.pointer(now, before !== undefined);
    if (!before) return;
    const trembles = TREMBLES * window.devicePixelRatio;
    const { from } = this.rest ?? {};
    if (from && !this.close && Math.hypot(now[0] - from[0], now[1] - from[1]) > trembles) this.restless();
    if (this.working) this.table.work(now);
    else if (this.down.size === 2) this.pinch(e.pointerId, before, now);
    else if (!this.close) this.table.pan(now[0] - before[0], now[1] - before[1]);
    this.down.set(e.pointerId, now);
  };

  /** Two fingers: the spots under them stay under them. */
  private pinch(moved: number, before: At, now: At): void {
    const other = [...this.down].find(([id]) => id !== moved)?.[1];
    if (!other) return;
    const apart = (p: At) => Math.max(1, Math.hypot(p[0] - other[0], p[1] - other[1]));
    this.table.pan((now[0] - before[0]) / 2, (now[1] - before[1]) / 2);
    this.table.closer(apart(now) / apart(before), [(other[0] + now[0]) / 2, (other[1] + now[1]) / 2]);
  }

  private readonly letGo = (e: PointerEvent) => {
    this.down.delete(e.pointerId);
    this.restless();
    if (!this.working) return;
    this.working = false;
    this.table.end();
  };

  /** No finger rests any longer. */
  private restless(): void {
    window.clearTimeout(this.rest?.timer);
    this.rest = undefined;
    if (this.close) this.table.rests(false);
    this.close = false;
  }

  private readonly leave = () => this.table.pointer(undefined, false);

  private readonly wheel = (e: WheelEvent) => {
    e.preventDefault();
    const lines = e.deltaMode === WheelEvent.DOM_DELTA_LINE ? 16 : 1;
    // A pinch on a pad comes as a wheel with Ctrl, in smaller steps.
    const speed = e.ctrlKey ? 0.01 : 0.0022;
    this.table.closer(Math.exp(-e.deltaY * lines * speed), this.onCanvas(e));
  };

  private readonly doubleClick = (e: MouseEvent) => this.table.twice(this.onCanvas(e));

  private readonly menu = (e: Event) => {
    if (this.down.size > 0) e.preventDefault();
  };

  private onCanvas(e: MouseEvent): At {
    const box = this.canvas.getBoundingClientRect();
    const ratio = window.devicePixelRatio;
    return [(e.clientX - box.left) * ratio, (e.clientY - box.top) * ratio];
  }
}
