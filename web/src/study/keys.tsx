import { useEffect } from "react";

import { Card } from "@/ui/card";

/** What each key does; `?` shows them. */
export const KEYS: [string, string][] = [
  ["1 to 7", "go to a station"],
  ["l", "collapse or open the lens"],
  ["c", "clear the lens"],
  ["k", "keep the lens, or open a kept one"],
  ["!", "invert the last clause"],
  [", .", "a month back, a month on"],
  ["z", "undo my last change"],
  ["Shift z", "redo it"],
  ["?", "show the keys"],
];

/** Listen for keys, but never while somebody types. */
export function useKeys(act: (key: string) => void): void {
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const target = event.target as HTMLElement;
      const typing = target.closest("input, textarea, select, [contenteditable]");
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      act(event.key);
    }
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [act]);
}

export function KeysCard({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Card title="Keys" open={open} onClose={onClose}>
      <dl className="mt-3 grid grid-cols-[90px_1fr] gap-y-1.5">
        {KEYS.map(([key, words]) => (
          <div key={key} className="contents">
            <dt className="font-semibold">{key}</dt>
            <dd className="text-quiet">{words}</dd>
          </div>
        ))}
      </dl>
    </Card>
  );
}
