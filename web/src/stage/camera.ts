/**
 * One camera for all panes, in the original's coordinates.
 *
 * A candidate's own pixel size does not matter to it: whatever is shown, the same spot of the original is
 * at the same place and of the same apparent size, to the sub-pixel.
 */

export interface Camera {
  /** The spot in the middle of a pane, in pixels of the original. */
  x: number;
  y: number;
  /** Device pixels per pixel of the original. */
  scale: number;
}

export interface Extent {
  width: number;
  height: number;
}

export interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** The whole picture, as large as the pane allows, with a margin around it. */
export function fit(picture: Extent, pane: Extent, margin = 16): Camera {
  const room = (side: number) => Math.max(1, side - 2 * margin);
  const scale = Math.min(room(pane.width) / picture.width, room(pane.height) / picture.height);
  return { x: picture.width / 2, y: picture.height / 2, scale };
}

/** Where a spot of the original is on the pane, in device pixels. */
export function toPane(camera: Camera, pane: Extent, x: number, y: number): [number, number] {
  return [(x - camera.x) * camera.scale + pane.width / 2, (y - camera.y) * camera.scale + pane.height / 2];
}

/** Which spot of the original is at a place on the pane. */
export function toPicture(camera: Camera, pane: Extent, px: number, py: number): [number, number] {
  return [(px - pane.width / 2) / camera.scale + camera.x, (py - pane.height / 2) / camera.scale + camera.y];
}

/** Moved by device pixels, as the hand moves the picture. */
export function pan(camera: Camera, dx: number, dy: number): Camera {
  return { ...camera, x: camera.x - dx / camera.scale, y: camera.y - dy / camera.scale };
}

/** Scaled so that the spot under (px, py) stays there. */
export function zoomAt(camera: Camera, pane: Extent, scale: number, px: number, py: number): Camera {
  const [x, y] = toPicture(camera, pane, px, py);
  return { x: x - (px - pane.width / 2) / scale, y: y - (py - pane.height / 2) / scale, scale };
}

/** Moved by less than a pixel so that the picture's corner lies on a whole one: pixels meet the same pixels in every pane. */
export function snapped(camera: Camera, pane: Extent): Camera {
  const [x, y] = toPane(camera, pane, 0, 0);
  return pan(camera, Math.round(x) - x, Math.round(y) - y);
}

/** With the middle of the pane kept on the picture: it cannot be lost. */
export function held(camera: Camera, picture: Extent): Camera {
  const within = (value: number, side: number) => Math.min(Math.max(value, 0), side);
  return { ...camera, x: within(camera.x, picture.width), y: within(camera.y, picture.height) };
}

/** Moved so that a pane shows no ground where the picture could fill it. */
export function filled(camera: Camera, pane: Extent, picture: Extent): Camera {
  const within = (value: number, side: number, shown: number) =>
    shown >= side ? side / 2 : Math.min(Math.max(value, shown / 2), side - shown / 2);
  return {
    ...camera,
    x: within(camera.x, picture.width, pane.width / camera.scale),
    y: within(camera.y, picture.height, pane.height / camera.scale),
  };
}

/** The part of the original that a pane shows, cut to the picture; nothing if it shows none. */
export function visible(camera: Camera, pane: Extent, picture: Extent): Box | undefined {
  const [left, top] = toPicture(camera, pane, 0, 0);
  const [right, bottom] = toPicture(camera, pane, pane.width, pane.height);
  const box = {
    left: Math.max(0, left),
    top: Math.max(0, top),
    right: Math.min(picture.width, right),
    bottom: Math.min(picture.height, bottom),
  };
  return box.left < box.right && box.top < box.bottom ? box : undefined;
}
