import { Dialog } from "radix-ui";
import { useEffect } from "react";

/** What each key does; `?` shows them. */
export const KEYS: [string, string][] = [
  ["1 to 7", "go to a station"],
  ["l", "fold or open the lens"],
  ["c", "clear the lens"],
  ["k", "keep the lens, or open a kept one"],
  ["!", "turn the last clause round"],
  [", .", "a month back, a month on"],
  ["z", "take back my last change"],
  ["Shift z", "bring it back"],
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
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="card fixed top-1/2 left-1/2 z-50 w-80 -translate-x-1/2 -translate-y-1/2 p-5 shadow-xl"
        >
          <Dialog.Title className="text-14">Keys</Dialog.Title>
          <dl className="mt-3 grid grid-cols-[90px_1fr] gap-y-1.5">
            {KEYS.map(([key, words]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd className="text-quiet">{words}</dd>
              </div>
            ))}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
