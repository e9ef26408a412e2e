import type { Schemas } from "@/api/client";

type Axis = Schemas["AxisBody"];

const bend = (value: number) => Math.sign(value) * Math.log1p(Math.abs(value));
const unbend = (value: number) => Math.sign(value) * Math.expm1(Math.abs(value));

/** Where a value stands along an axis, 0 to 1; beyond its ends it is clamped. */
export function placeOf(value: number, axis: Axis): number {
  const [low, high, at] = axis.log
    ? [bend(axis.low), bend(axis.high), bend(value)]
    : [axis.low, axis.high, value];
  if (high <= low) return 0.5;
  return Math.min(1, Math.max(0, (at - low) / (high - low)));
}

/** The value at a place along an axis. */
export function valueAt(place: number, axis: Axis): number {
  if (!axis.log) return axis.low + place * (axis.high - axis.low);
  const [low, high] = [bend(axis.low), bend(axis.high)];
  return unbend(low + place * (high - low));
}

const POWERS = [1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8];

/** Round values that an axis names, at least its ends apart from each other. */
export function ticksOf(axis: Axis, about = 4): number[] {
  if (axis.log) {
    const inside = (leads: number[]) =>
      [0, ...leads.flatMap((lead) => POWERS.flatMap((p) => [lead * p, -lead * p]))]
        .filter((v) => v >= axis.low && v <= axis.high)
        .sort((a, b) => a - b);
    const tens = inside([1]);
    return tens.length >= about - 1 ? tens : inside([1, 3]);
  }
  const span = axis.high - axis.low;
  if (span <= 0) return [axis.low];
  const raw = span / about;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => span / s <= about + 1) ?? power * 10;
  const out: number[] = [];
  for (let v = Math.ceil(axis.low / step) * step; v <= axis.high + step / 1e6; v += step)
    out.push(Number(v.toPrecision(12)));
  return out;
}
