import { describe, expect, it } from "vitest";
import type { OwnFace, Plan, Intent } from "../api/client";
import { leftWords } from "./cards/FacesCard";
import { around, changedFace, drawnFace, ownFaces, withoutFace } from "./faces";

const face = (x: number): OwnFace => drawnFace({ x, y: 100 }, { x: x + 40, y: 100 }) as OwnFace;
const plan = (restored: (number | null)[]) =>
  ({ faces: restored.map((restored, i) => ({ face: face(100 * i).face, eyes: 40, restored })) }) as Plan;

describe("faces of a picture", () => {
  it("are those of the plan until the person changes them", () => {
    const found = ownFaces({} as Intent, plan([0, 1]));
    expect(found.map((f) => f.face.left_eye.x)).toEqual([0, 100]);
    expect(found.every((f) => f.on)).toBe(true);
    const mine = changedFace(found, 1, { on: false, strength: 0.3 });
    expect(mine[0]).toEqual(found[0]);
    expect(mine[1]).toMatchObject({ on: false, strength: 0.3 });
    expect(ownFaces({ own_faces: mine } as Intent, plan([0, null]))).toBe(mine);
    expect(withoutFace(mine, 0)).toEqual([mine[1]]);
  });

  it("are drawn from eye to eye, from either side, and a click draws none", () => {
    const one = drawnFace({ x: 10, y: 20 }, { x: 50, y: 20 });
    expect(one).toEqual(drawnFace({ x: 50, y: 20 }, { x: 10, y: 20 }));
    expect(one?.face.mouth.x).toBeCloseTo(30);
    expect(one?.face.mouth.y).toBeCloseTo(67);
    expect(drawnFace({ x: 10, y: 20 }, { x: 12, y: 20 })).toBeUndefined();
  });

  it("are marked around eyes and mouth", () => {
    const { x, y, reach } = around(face(0));
    expect([x, y]).toEqual([20, expect.closeTo(115.67, 1)]);
    expect(reach).toBeCloseTo(56);
  });
});

describe("the close-up", () => {
  it("says why a face is left alone", () => {
    expect(leftWords("too_small", 17.6)).toContain("18 px");
    expect(leftWords("departs", 40, 12.34)).toContain("12.3");
  });
});
