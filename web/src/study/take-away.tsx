import { data, api } from "@/api/client";
import { asPng, standalone } from "@/charts/picture-file";
import { useStudy } from "@/study/context";
import { csvOf, htmlOf, tabbedOf } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { useNotice } from "@/ui/notices";
import { fileName, saveFile } from "@/ui/save";
import { SaveMenu } from "@/ui/save-menu";

interface Props {
  /** What is taken, for the names of files. */
  name: string;
  /** The table, or the one behind the picture. */
  grid: () => Grid;
  /** What holds the picture, or several side by side. */
  picture?: () => Element | null;
}

/** Take what stands here elsewhere: copied, as a table, as a picture. */
export function TakeAway({ name, grid, picture }: Props) {
  const { study } = useStudy();
  const say = useNotice();
  const copy = async () => {
    const table = grid();
    await navigator.clipboard.write([
      new ClipboardItem({
        "text/plain": new Blob([tabbedOf(table)], { type: "text/plain" }),
        "text/html": new Blob([htmlOf(table)], { type: "text/html" }),
      }),
    ]);
    say("The table is copied.");
  };
  const sheet = async () => {
    const { title, note = "", heads, rows } = grid();
    const cells = rows.map((row) =>
      row.map(({ value, form, shade = "" }) => ({ value, form, shade })),
    );
    const file = await data(
      api.POST("/api/studies/{study}/sheets", {
        params: { path: { study: study.id } },
        body: { title, note, heads, rows: cells },
        parseAs: "blob",
      }),
    );
    saveFile(file, fileName(name, "xlsx"));
  };
  const drawn = () => {
    const found = picture?.();
    if (!found) throw new Error("There is no picture to save yet.");
    return standalone(found);
  };
  const ways: [words: string, take: () => void | Promise<void>][] = [
    ["Copy as a table", copy],
    ["CSV", () => saveFile(new Blob([csvOf(grid())], { type: "text/csv" }), fileName(name, "csv"))],
    ["XLSX, with shading", sheet],
  ];
  if (picture)
    ways.push(
      ["PNG", async () => saveFile(await asPng(drawn()), fileName(name, "png"))],
      [
        "SVG",
        () => saveFile(new Blob([drawn()], { type: "image/svg+xml" }), fileName(name, "svg")),
      ],
    );
  return <SaveMenu label="Take away" ways={ways} />;
}
