import type { InputHTMLAttributes } from "react";

type Props = InputHTMLAttributes<HTMLInputElement>;

const LOOKS = {
  plain: "border-line px-2 hover:border-quiet",
  bare: "border-transparent px-1 hover:border-line focus:border-line",
};

/** A line to type into: a word, a number, a day. `bare` stands as text until it is pointed at. */
export function Input({
  className = "",
  look = "plain",
  ...rest
}: Props & { look?: keyof typeof LOOKS }) {
  return (
    <input
      className={`min-h-[24px] rounded-md border bg-card py-1 text-ink disabled:opacity-45 ${LOOKS[look]} ${className}`}
      {...rest}
    />
  );
}

/** Yes or no to what the label around it says. */
export function Checkbox({ className = "", ...rest }: Omit<Props, "type">) {
  return (
    <input
      type="checkbox"
      className={`m-[4px] size-[16px] shrink-0 accent-ink ${className}`}
      {...rest}
    />
  );
}
