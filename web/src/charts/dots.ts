/** A small push that is the same for the same customer each time; spreads whole numbers. */
export function push(number: number, salt: number): number {
  let h = Math.imul(number + 1, salt === 1 ? 2654435761 : 2246822519);
  h ^= h >>> 15;
  return ((h >>> 0) % 1000) / 1000 - 0.5;
}

export const SHAPES = 4;

/** A point of one of four shapes about a place. */
export function stamp(
  pen: CanvasRenderingContext2D,
  shape: number,
  x: number,
  y: number,
  r: number,
) {
  pen.beginPath();
  if (shape === 1) pen.rect(x - r * 0.9, y - r * 0.9, 1.8 * r, 1.8 * r);
  else if (shape === 2) {
    pen.moveTo(x, y - 1.2 * r);
    pen.lineTo(x + 1.1 * r, y + 0.9 * r);
    pen.lineTo(x - 1.1 * r, y + 0.9 * r);
    pen.closePath();
  } else if (shape === 3) {
    pen.moveTo(x, y - 1.3 * r);
    pen.lineTo(x + 1.3 * r, y);
    pen.lineTo(x, y + 1.3 * r);
    pen.lineTo(x - 1.3 * r, y);
    pen.closePath();
  } else pen.arc(x, y, r, 0, 2 * Math.PI);
  pen.fill();
}

/** Customers in a square grid, row by row from below, the more the darker. */
export function drawCells(pen: CanvasRenderingContext2D, cells: number[], steps: number): void {
  const { width, height } = pen.canvas;
  const most = Math.max(1, ...cells);
  const [wide, high] = [width / steps, height / steps];
  cells.forEach((value, n) => {
    if (!value) return;
    pen.globalAlpha = 0.12 + 0.7 * Math.sqrt(value / most);
    pen.fillRect((n % steps) * wide, height - (Math.floor(n / steps) + 1) * high, wide, high);
  });
  pen.globalAlpha = 1;
}
