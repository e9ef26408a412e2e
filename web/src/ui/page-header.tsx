import type { ReactNode } from "react";

/** The head of a station: its name, one sentence with the figures in it, the main action. */
export function PageHeader({
  title,
  words,
  children,
}: {
  title: string;
  words: string;
  children?: ReactNode;
}) {
  return (
    <header className="flex min-h-9 items-center gap-3">
      <h1 className="text-20">{title}</h1>
      <p className="min-w-0 flex-1 text-12 text-quiet">{words}</p>
      {children}
    </header>
  );
}
