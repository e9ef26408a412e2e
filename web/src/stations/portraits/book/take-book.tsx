import { DropdownMenu } from "radix-ui";

import { useStudy } from "@/study/context";
import { fetchFile, fileName } from "@/ui/save";

const KINDS = [
  ["html", "One web page"],
  ["pdf", "PDF"],
  ["docx", "DOCX"],
  ["md", "Markdown"],
] as const;

/** The book as a file. */
export function TakeBook() {
  const { study, view } = useStudy();
  const take = (kind: string) => {
    const query = new URLSearchParams({ ...view, kind }).toString();
    fetchFile(
      `/api/studies/${study.id}/portraits/book/file?${query}`,
      fileName(`${study.name} segments`, kind),
    );
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="shrink-0 rounded-md border border-line bg-card px-3 py-1.5 text-13 hover:border-quiet">
        Take the book away <span aria-hidden>▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="card z-40 min-w-40 p-1 shadow-lg"
        >
          {KINDS.map(([kind, words]) => (
            <DropdownMenu.Item
              key={kind}
              className="cursor-pointer rounded px-2.5 py-1.5 text-12 outline-none data-[highlighted]:bg-paper"
              onSelect={() => take(kind)}
            >
              {words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
