/** Where a picture is liveliest: the place at which a comparison tells the most. */

/**
 * The middle of the square of cells with the most fine contrast, as shares of width and height.
 *
 * `pixels` are RGBA rows of a small picture. A cell counts by how many of its pixels differ clearly from
 * their neighbours, so that one hard edge does not outweigh texture.
 */
export function liveliest(pixels: ArrayLike<number>, width: number, height: number): [number, number] {
  const cell = Math.max(4, Math.round(Math.max(width, height) / 24));
  const [columns, rows] = [Math.floor(width / cell), Math.floor(height / cell)];
  if (columns < 3 || rows < 3) return [0.5, 0.5];
  const light = (x: number, y: number) => {
    const i = (y * width + x) * 4;
    return 0.299 * (pixels[i] ?? 0) + 0.587 * (pixels[i + 1] ?? 0) + 0.114 * (pixels[i + 2] ?? 0);
  };
  const score = (column: number, row: number) => {
    let sum = 0;
    for (let y = row * cell; y < (row + 1) * cell - 1; y++) {
      for (let x = column * cell; x < (column + 1) * cell - 1; x++) {
        const here = light(x, y);
        sum += Math.min(24, Math.abs(here - light(x + 1, y)) + Math.abs(here - light(x, y + 1)));
      }
    }
    return sum;
  };
  const scores = Array.from({ length: rows }, (_, row) =>
    Array.from({ length: columns }, (_, column) => score(column, row)),
  );
  let [best, at]: [number, [number, number]] = [-1, [0.5, 0.5]];
  for (let row = 1; row < rows - 1; row++) {
    for (let column = 1; column < columns - 1; column++) {
      let sum = 0;
      for (const line of scores.slice(row - 1, row + 2)) for (const s of line.slice(column - 1, column + 2)) sum += s;
      if (sum > best) [best, at] = [sum, [((column + 0.5) * cell) / width, ((row + 0.5) * cell) / height]];
    }
  }
  return at;
}
