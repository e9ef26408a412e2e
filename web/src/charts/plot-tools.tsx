import type { Zoom } from "@/charts/use-zoom";
import { Choice } from "@/ui/choice";

/** What dragging does. */
export type Tool = "box" | "lasso" | "move";

const TOOLS = [
  ["box", "Box"],
  ["lasso", "Lasso"],
  ["move", "Move"],
] as const;

/** What dragging does on a plot, and how near it is looked at. */
export function PlotTools({
  tool,
  zoom,
  onTool,
}: {
  tool: Tool;
  zoom?: Zoom;
  onTool: (tool: Tool) => void;
}) {
  const tools = TOOLS.filter(([key]) => key !== "move" || zoom);
  return (
    <div className="mb-1 flex flex-wrap items-center gap-2 text-12">
      <span className="text-quiet">Dragging draws</span>
      <Choice label="What dragging does" choices={tools} value={tool} onChoose={onTool} />
      {zoom && (
        <span className="flex items-center gap-1" role="group" aria-label="Zoom">
          <Step label="Zoom in" words="+" onClick={() => zoom.by(0.6)} />
          <Step label="Zoom out" words="−" onClick={() => zoom.by(1 / 0.6)} />
          {zoom.zoomed && <Step label="Show all" words="all" onClick={zoom.reset} />}
        </span>
      )}
    </div>
  );
}

function Step({ label, words, onClick }: { label: string; words: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={`${label} (${words})`}
      title={label}
      className="min-h-[28px] min-w-[28px] rounded-md border border-line bg-card px-1.5 hover:border-quiet"
      onClick={onClick}
    >
      {words}
    </button>
  );
}
