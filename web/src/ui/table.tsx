import type { ReactNode, TableHTMLAttributes, ThHTMLAttributes } from "react";

interface TableProps extends Omit<TableHTMLAttributes<HTMLTableElement>, "aria-label"> {
  /** What its rows are, for those who hear the table before they are in it. */
  label: string;
}

/** Rows are high enough for what is picked in them to be hit. */
export function Table({ label, className = "", ...table }: TableProps) {
  return <table {...table} aria-label={label} className={`text-12 [&_tr]:h-[24px] ${className}`} />;
}

type Sorted = "up" | "down" | null;

interface ColumnProps extends Omit<ThHTMLAttributes<HTMLTableCellElement>, "scope" | "aria-sort"> {
  /** Figures stand at the right, below each other. */
  figures?: boolean;
  strong?: boolean;
}

const looks = ({ figures, strong }: Pick<ColumnProps, "figures" | "strong">) =>
  `${figures ? "text-right" : "text-left"} ${strong ? "font-semibold" : "font-normal"}`;

/** The heading of a column. */
export function Column({ figures, strong, className = "", ...cell }: ColumnProps) {
  return <th {...cell} scope="col" className={`${looks({ figures, strong })} ${className}`} />;
}

interface SortedProps extends ColumnProps {
  /** Which way the rows go by this column; null: they go by another. */
  sorted: Sorted;
  onSort: () => void;
  /** What the heading's button says, where its words alone would not. */
  says?: string;
  /** What stands before the button. */
  beside?: ReactNode;
  /** Smaller, below the words: the unit. */
  below?: ReactNode;
  hint?: string;
}

/** The heading of a column by which rows can be sorted. */
export function SortColumn(props: SortedProps) {
  const { sorted, onSort, says, beside, below, hint, children, ...cell } = props;
  const { figures, strong, className = "", ...rest } = cell;
  const sort = sorted === null ? "none" : sorted === "down" ? "descending" : "ascending";
  const button = (
    <button
      type="button"
      title={hint}
      aria-label={says}
      className={`${figures ? "text-right" : "text-left"} hover:underline`}
      onClick={onSort}
    >
      {children}
      {sorted && <span aria-hidden> {sorted === "down" ? "▾" : "▴"}</span>}
      {below && <span className="block text-11 font-normal text-quiet">{below}</span>}
    </button>
  );
  return (
    <th
      {...rest}
      scope="col"
      aria-sort={sort}
      className={`${looks({ figures, strong })} ${className}`}
    >
      {beside ? (
        <span className="flex items-center justify-end gap-1">
          {beside}
          {button}
        </span>
      ) : (
        button
      )}
    </th>
  );
}

/** The cell that says what a row is. */
export function RowHead({ strong, className = "", ...cell }: Omit<ColumnProps, "figures">) {
  return <th {...cell} scope="row" className={`${looks({ strong })} ${className}`} />;
}
