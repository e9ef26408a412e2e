import type { Schemas } from "@/api/client";

const SCALES: Record<string, string> = {
  z: "z-score",
  range: "0 to 1",
  robust: "by quartiles",
  rank: "by rank",
  none: "unscaled",
};

/** A preparation in a few words, in the order in which its steps are taken. */
export function preparation(steps: Schemas["StepsBody"]): string {
  const parts = [
    steps.fill !== "leave out" && `${steps.fill} fill`,
    steps.fences && "capped at fences",
    (steps.cap ?? 0) > 0 && !steps.fences && `capped ${((steps.cap ?? 0) * 100).toFixed(0)}%`,
    steps.transform !== "none" && steps.transform,
    SCALES[steps.scale ?? "z"],
  ];
  return parts.filter(Boolean).join(", ");
}
