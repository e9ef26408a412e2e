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
    <header className="flex min-h-9 flex-wrap items-center gap-x-3 gap-y-1">
      <h1 className="text-20">{title}</h1>
      <p className="min-w-[min(100%,16rem)] flex-1 text-12 text-quiet">{words}</p>
      {children}
    </header>
  );
}
