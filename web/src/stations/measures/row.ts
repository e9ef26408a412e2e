/** The columns that every thread keeps: name, picture, figures, role. */
export const COLUMNS = "grid grid-cols-[168px_minmax(300px,1fr)_112px_150px] gap-3 px-3";
