/** The columns that every thread keeps: name, picture, figures, role. */
export const COLUMNS =
  "grid grid-cols-[168px_minmax(300px,1fr)_112px_150px] gap-x-3 px-3" +
  " narrow:grid-cols-[minmax(0,1fr)_150px] narrow:[&>*:nth-child(-n+2)]:col-span-2";
