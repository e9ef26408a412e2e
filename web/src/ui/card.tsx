import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

import { focusBack } from "@/ui/focus-back";

/** A card over the page, which stays as it is below; Escape closes it. */
export function Card({
  title,
  open,
  onClose,
  wide = false,
  page = false,
  children,
}: {
  title: string;
  open: boolean;
  onClose: () => void;
  wide?: boolean;
  /** As wide as a page of text with pictures. */
  page?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          onCloseAutoFocus={focusBack}
          className={`card fixed top-1/2 left-1/2 z-50 max-h-[88vh] -translate-x-1/2 -translate-y-1/2 overflow-y-auto p-5 shadow-xl ${page ? "w-[760px] max-w-[94vw]" : wide ? "w-[480px] max-w-[94vw]" : "w-80"}`}
        >
          <div className="flex items-baseline justify-between gap-3">
            <Dialog.Title className="text-14">{title}</Dialog.Title>
            <Dialog.Close aria-label="Close" className="px-1 text-quiet hover:text-ink">
              ×
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
