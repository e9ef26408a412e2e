import { createContext, useCallback, useContext, useMemo, useRef, useState } from "react";
import type { ReactNode } from "react";

interface Notice {
  words: string;
  trouble: boolean;
  undo?: () => void;
}

type Say = (words: string, options?: { trouble?: boolean; undo?: () => void }) => void;

const Context = createContext<Say>(() => undefined);

/** Say something at the foot of the screen; it goes by itself unless it is pointed at or
 * has the focus, and may offer to undo. */
export function useNotice(): Say {
  return useContext(Context);
}

const SHOWN_FOR = 7000;

export function Notices({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<Notice | null>(null);
  const timer = useRef(0);
  const stay = () => window.clearTimeout(timer.current);
  const leave = () => {
    stay();
    timer.current = window.setTimeout(() => setNotice(null), SHOWN_FOR);
  };
  const say = useCallback<Say>((words, options = {}) => {
    window.clearTimeout(timer.current);
    setNotice({ words, trouble: options.trouble ?? false, undo: options.undo });
    timer.current = window.setTimeout(() => setNotice(null), SHOWN_FOR);
  }, []);
  const value = useMemo(() => say, [say]);
  return (
    <Context.Provider value={value}>
      {children}
      <div
        aria-live="polite"
        className="pointer-events-none fixed inset-x-0 bottom-4 z-50 flex justify-center"
      >
        {notice && (
          <div
            role={notice.trouble ? "alert" : "status"}
            onPointerEnter={stay}
            onPointerLeave={leave}
            onFocus={stay}
            onBlur={leave}
            className={`pointer-events-auto flex max-w-[640px] items-center gap-3 rounded-lg px-4 py-2.5 text-13 shadow-lg ${
              notice.trouble ? "border border-alarm bg-card text-ink" : "bg-ink text-white"
            }`}
          >
            <span>{notice.words}</span>
            {notice.undo && (
              <button
                type="button"
                className="font-semibold underline underline-offset-2"
                onClick={() => {
                  notice.undo?.();
                  setNotice(null);
                }}
              >
                Undo
              </button>
            )}
            <button
              type="button"
              aria-label="Close"
              className="opacity-70 hover:opacity-100"
              onClick={() => setNotice(null)}
            >
              ×
            </button>
          </div>
        )}
      </div>
    </Context.Provider>
  );
}
