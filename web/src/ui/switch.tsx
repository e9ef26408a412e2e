import { Switch as Radix } from "radix-ui";

/** On or off, at once and undoable. */
export function Switch({
  on,
  label,
  disabled,
  onChange,
}: {
  on: boolean;
  label: string;
  disabled?: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <Radix.Root
      checked={on}
      disabled={disabled}
      onCheckedChange={onChange}
      aria-label={label}
      className="relative h-[16px] w-[28px] shrink-0 rounded-full border border-quiet bg-card transition data-[state=checked]:border-ink data-[state=checked]:bg-ink disabled:opacity-50"
    >
      <Radix.Thumb className="block size-[10px] translate-x-[2px] rounded-full bg-quiet transition data-[state=checked]:translate-x-[14px] data-[state=checked]:bg-white" />
    </Radix.Root>
  );
}
