import { useEffect } from "react";

import { Card } from "@/ui/card";

/** What each key does anywhere in a study. */
const ANYWHERE: [string, string][] = [
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

/** What keys do where one stands on a picture, a table or a list. */
const WITHIN: [string, string][] = [
  ["Tab", "to the next picture, list or button"],
  ["arrows", "from mark to mark, or move what is held"],
  ["Shift ← →", "the lower end of a stretch on a thread; without Shift its upper one"],
  ["Home End", "the first mark, the last one"],
  ["Enter", "look at it, open it; take hold of a handle, let it go"],
  ["Shift Enter", "look at it as well; Shift with a click does the same"],
  ["Page ↑ ↓", "a campaign by a week"],
  ["F2", "rename a segment at its head"],
  ["Ctrl Enter", "finish writing in the book"],
  ["Esc", "close, let go, or leave it as it was"],
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
    <Card title="Keys" open={open} onClose={onClose} wide>
      <Rows title="Anywhere" keys={ANYWHERE} />
      <Rows title="On a picture or a list" keys={WITHIN} />
    </Card>
  );
}

function Rows({ title, keys }: { title: string; keys: [string, string][] }) {
  return (
    <>
      <h3 className="mt-3 text-12 text-quiet">{title}</h3>
      <dl className="mt-1 grid grid-cols-[90px_1fr] gap-y-1.5">
        {keys.map(([key, words]) => (
          <div key={key} className="contents">
            <dt className="font-semibold">{key}</dt>
            <dd className="text-quiet">{words}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
