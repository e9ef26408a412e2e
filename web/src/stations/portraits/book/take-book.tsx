import { api, data } from "@/api/client";
import { useStudy } from "@/study/context";
import { useNotice } from "@/ui/notices";
import { fileName, saveFile } from "@/ui/save";
import { SaveMenu } from "@/ui/save-menu";

const KINDS = [
  ["html", "One web page"],
  ["pdf", "PDF"],
  ["docx", "DOCX"],
  ["md", "Markdown"],
] as const;
type Kind = (typeof KINDS)[number][0];

/** The book as a file; laying out a PDF takes some seconds, and says so. */
export function TakeBook() {
  const { study, view } = useStudy();
  const say = useNotice();
  const take = async (kind: Kind, words: string) => {
    const name = fileName(`${study.name} segments`, kind);
    say(`Writing the book: ${words} …`);
    const file = await data(
      api.GET("/api/studies/{study}/portraits/book/file", {
        params: { path: { study: study.id }, query: { ...view, kind } },
        parseAs: "blob",
      }),
    );
    saveFile(file, name);
    say(`${name} is saved.`);
  };
  return (
    <SaveMenu
      large
      label="Take the book away"
      ways={KINDS.map(([kind, words]) => [words, () => take(kind, words)])}
    />
  );
}
