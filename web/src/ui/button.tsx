import type { ButtonHTMLAttributes } from "react";

type Kind = "main" | "plain" | "lens" | "quiet";

const looks: Record<Kind, string> = {
  main: "bg-copper text-white font-semibold hover:brightness-110 border-copper",
  lens: "bg-teal text-white font-semibold hover:brightness-110 border-teal",
  plain: "bg-card border-line hover:border-quiet",
  quiet: "border-transparent text-quiet hover:text-ink hover:bg-paper",
};

/**
 * A button; `main` is the one main action of a screen. One that has done its work and is to keep
 * the focus is `aria-disabled`, which looks the same.
 */
export function Button({
  kind = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: Kind }) {
  return (
    <button
      type="button"
      className={`rounded-md border px-3 py-1.5 text-13 transition print:hidden disabled:opacity-45 aria-disabled:opacity-45 ${looks[kind]} ${className}`}
      {...rest}
    />
  );
}
