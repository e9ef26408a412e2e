import { Toast } from "radix-ui";
import { createContext, useCallback, useContext, useState } from "react";
import type { ReactNode } from "react";

interface Notice {
  number: number;
  words: string;
  trouble: boolean;
  undo?: () => void;
}

type Say = (words: string, options?: { trouble?: boolean; undo?: () => void }) => void;

const Context = createContext<Say>(() => undefined);

/** Say something at the foot of the screen; it goes by itself unless one of its buttons is pointed
 * at or it has the focus, and may offer to undo. F8 leads to it, Escape closes it. Its words let a
 * click through to what they lie over: a pointer that rests there would keep them for ever. */
export function useNotice(): Say {
  return useContext(Context);
}

const SHOWN_FOR = 7000;

export function Notices({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<Notice | null>(null);
  const say = useCallback<Say>((words, { trouble = false, undo } = {}) => {
    setNotice((before) => ({ number: (before?.number ?? 0) + 1, words, trouble, undo }));
  }, []);
  return (
    <Context.Provider value={say}>
      <Toast.Provider duration={SHOWN_FOR} label="Message">
        {children}
        {notice && <Shown key={notice.number} notice={notice} onGone={() => setNotice(null)} />}
        <Toast.Viewport
          aria-live="polite"
          label="Messages ({hotkey})"
          className="pointer-events-none print:hidden fixed inset-x-0 bottom-4 z-50 m-0 flex list-none justify-center p-0"
        />
      </Toast.Provider>
    </Context.Provider>
  );
}

/** Announced by its own role: the library's announcing, which doubles the words, is left out. */
function Shown({ notice, onGone }: { notice: Notice; onGone: () => void }) {
  return (
    <Toast.Root
      open
      onOpenChange={(open) => {
        if (!open) onGone();
      }}
      className={`rounded-lg text-13 shadow-lg ${
        notice.trouble ? "border border-alarm bg-card text-ink" : "bg-ink text-white"
      }`}
    >
      <div
        role={notice.trouble ? "alert" : "status"}
        data-radix-toast-announce-exclude=""
        className="flex max-w-[640px] items-center gap-3 px-4 py-2.5"
      >
        <span>{notice.words}</span>
        {notice.undo && (
          <Toast.Action
            altText="Undo"
            className="pointer-events-auto font-semibold underline underline-offset-2"
            onClick={notice.undo}
          >
            Undo
          </Toast.Action>
        )}
        <Toast.Close
          aria-label="Close"
          className="pointer-events-auto -my-1 min-h-[24px] min-w-[24px] opacity-70 hover:opacity-100"
        >
          ×
        </Toast.Close>
      </div>
    </Toast.Root>
  );
}
