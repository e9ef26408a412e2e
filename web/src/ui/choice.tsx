interface Props<T extends string> {
  label: string;
  choices: readonly (readonly [T, string])[];
  value: T;
  onChoose: (value: T) => void;
}

/** One of a few, side by side. */
export function Choice<T extends string>({ label, choices, value, onChoose }: Props<T>) {
  return (
    <div
      role="group"
      aria-label={label}
      className="flex max-w-full flex-wrap overflow-hidden rounded-md border border-line bg-card"
    >
      {choices.map(([key, name]) => (
        <button
          key={key}
          type="button"
          aria-pressed={value === key}
          onClick={() => onChoose(key)}
          className={`px-3 py-1.5 ${value === key ? "bg-ink text-white" : "hover:bg-paper print:hidden"}`}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
