import type { CSSProperties, HTMLAttributes, SVGProps } from "react";

import { useMarks } from "@/charts/use-marks";

type Drawing = Omit<SVGProps<SVGSVGElement>, "ref" | "role" | "aria-label" | "aria-hidden">;

type Handled = Omit<SVGProps<SVGSVGElement>, "ref">;

/** A picture that fills its place shrinks with it, but not so far that its letters are too small. */
const SMALLEST = 0.85;

function fitted({ viewBox, width, className = "", style, ...drawing }: Drawing): Drawing {
  const wide = Number(viewBox?.split(" ")[2]);
  const stretched = drawing.preserveAspectRatio === "none";
  if (!wide || stretched || typeof width === "number")
    return { viewBox, width, className, style, ...drawing };
  const least = { "--least": `${Math.round(wide * SMALLEST)}px`, ...style } as CSSProperties;
  return { viewBox, width, className: `picture ${className}`, style: least, ...drawing };
}

/** A picture that is looked at; `label`: what it shows, for those who do not see it. */
export function Picture({ label, ...drawing }: Drawing & { label: string }) {
  return <svg {...fitted(drawing)} role="img" aria-label={label} />;
}

/** A picture that is itself a mark, of the `PickList` in which it stands. */
export function MarkPicture({ handled, ...drawing }: Drawing & { handled: Handled }) {
  return <svg {...fitted(drawing)} {...handled} />;
}

/** A picture whose marks are picked; see `pickable`. */
export function PickPicture({ label, ...drawing }: Drawing & { label: string }) {
  const marks = useMarks<SVGSVGElement>();
  return <svg {...fitted(drawing)} {...marks} role="group" aria-label={label} />;
}

/** The same of bars and names that are no drawing. */
export function PickList({ label, ...list }: HTMLAttributes<HTMLElement> & { label: string }) {
  const marks = useMarks<HTMLDivElement>();
  return <div {...list} {...marks} role="group" aria-label={label} />;
}

/** A small drawing beside words that say the same: nothing to those who do not see it. */
export function Glyph(drawing: Drawing) {
  return <svg {...drawing} aria-hidden />;
}
