export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

const WAYS: Record<string, [number, number]> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowDown: [0, 1],
  ArrowUp: [0, -1],
};

/**
 * Which of the boxes an arrow leads to from one of them: the nearest that way, one straight ahead
 * before one at an angle; Home and End lead to the first and the last. -1: none lies there.
 */
export function neighbour(boxes: readonly Box[], from: number, key: string): number {
  if (key === "Home") return 0;
  if (key === "End") return boxes.length - 1;
  const way = WAYS[key];
  const here = boxes[from];
  if (!way || !here) return -1;
  const [x, y] = middle(here);
  let [best, least] = [-1, Infinity];
  boxes.forEach((box, n) => {
    const [dx, dy] = [middle(box)[0] - x, middle(box)[1] - y];
    const ahead = dx * way[0] + dy * way[1];
    const aside = Math.abs(dx * way[1]) + Math.abs(dy * way[0]);
    if (n === from || ahead < 0.5) return;
    const far = ahead + 3 * aside;
    if (far < least) [best, least] = [n, far];
  });
  return best;
}

function middle(box: Box): [number, number] {
  return [box.left + box.width / 2, box.top + box.height / 2];
}
