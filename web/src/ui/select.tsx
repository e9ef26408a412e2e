/** Choices by what stands in the data and what is read on the screen. */
export type Options<T extends string> = readonly (readonly [value: T, words: string])[];

interface Props<T extends string> {
  /** What is chosen, where no label stands around it. */
  label?: string;
  value: T;
  options?: Options<T>;
  /** Options under headings, after those that stand alone. */
  groups?: readonly (readonly [heading: string, options: Options<T>])[];
  onChange: (value: T) => void;
  disabled?: boolean;
  /** `add` adds to a list: it stands dashed, and shows what it does instead of a value; `word`
   * stands in a sentence, as wide as what is chosen. */
  look?: "plain" | "add" | "word";
  className?: string;
}

const LOOKS = {
  plain: "border-line bg-card text-ink",
  word: "field-sizing-content border-line bg-card text-ink",
  add: "field-sizing-content border-dashed border-quiet bg-card text-quiet",
};

/** One of some words; the browser's own list, so that keys, screen readers and phones know it. */
export function Select<T extends string>({
  label,
  value,
  options = [],
  groups = [],
  onChange,
  disabled,
  look = "plain",
  className = "",
}: Props<T>) {
  const every = [...options, ...groups.flatMap(([, own]) => own)];
  const lines = (list: Options<T>) =>
    list.map(([key, words]) => (
      <option key={key} value={key}>
        {words}
      </option>
    ));
  return (
    <select
      aria-label={label}
      value={value}
      disabled={disabled}
      className={`min-h-[24px] rounded-md border px-1.5 py-0.5 hover:border-quiet disabled:opacity-45 ${LOOKS[look]} ${className}`}
      onChange={(event) => {
        const chosen = every.find(([key]) => key === event.target.value);
        if (chosen) onChange(chosen[0]);
      }}
    >
      {lines(options)}
      {groups.map(([heading, own]) => (
        <optgroup key={heading} label={heading}>
          {lines(own)}
        </optgroup>
      ))}
    </select>
  );
}
