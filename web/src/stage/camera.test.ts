import { describe, expect, it } from "vitest";
import { type Camera, filled, fit, held, pan, snapped, toPane, toPicture, visible, zoomAt } from "./camera";

const picture = { width: 900, height: 600 };
const pane = { width: 1200, height: 700 };

describe("camera", () => {
  it("fits the whole picture", () => {
    const camera = fit(picture, pane, 0);
    expect(camera.scale).toBeCloseTo(700 / 600);
    expect(toPane(camera, pane, 450, 300)).toEqual([600, 350]);
  });

  it("puts the picture's corner on a whole pixel, moving it by half a one at most", () => {
    const odd = { width: 397, height: 351 };
    const camera = { x: 123.4, y: 45.6, scale: 2.5 };
    const there = snapped(camera, odd);
    const [x, y] = toPane(there, odd, 0, 0);
    expect([x, y]).toEqual([Math.round(x), Math.round(y)]);
    expect(Math.hypot(there.x - camera.x, there.y - camera.y) * camera.scale).toBeLessThan(0.71);
  });

  it("keeps the spot under the pointer when it zooms", () => {
    let camera: Camera = { x: 123.4, y: 456.7, scale: 1.3 };
    const before = toPicture(camera, pane, 321, 99);
    for (const scale of [2.5, 0.7, 11]) {
      camera = zoomAt(camera, pane, scale, 321, 99);
      const [x, y] = toPicture(camera, pane, 321, 99);
      expect(x).toBeCloseTo(before[0], 6);
      expect(y).toBeCloseTo(before[1], 6);
    }
  });

  it("moves the picture with the hand", () => {
    const camera: Camera = { x: 100, y: 100, scale: 4 };
    const [x, y] = toPane(pan(camera, 40, -8), pane, 100, 100);
    expect([x, y]).toEqual([640, 342]);
  });

  it("does not lose the picture", () => {
    expect(held({ x: -50, y: 9000, scale: 1 }, picture)).toEqual({ x: 0, y: 600, scale: 1 });
  });

  it("fills a pane where the picture is large enough, and centres it where it is not", () => {
    expect(filled({ x: 899, y: 5, scale: 4 }, pane, picture)).toEqual({ x: 750, y: 87.5, scale: 4 });
    expect(filled({ x: 0, y: 0, scale: 0.5 }, pane, picture)).toEqual({ x: 450, y: 300, scale: 0.5 });
  });

  it("knows what it shows", () => {
    expect(visible({ x: 450, y: 300, scale: 4 }, pane, picture)).toEqual({
      left: 300,
      top: 212.5,
      right: 600,
      bottom: 387.5,
    });
    expect(visible({ x: 450, y: 5000, scale: 4 }, pane, picture)).toBeUndefined();
  });
});
