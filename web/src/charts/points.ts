import { tableFromIPC } from "apache-arrow";

export interface Points {
  number: Int32Array;
  x: Float64Array;
  y: Float64Array;
  inside: Uint8Array;
}

/** Points of a picture from an Arrow stream. Loaded with the chart that draws them. */
export function readPoints(bytes: ArrayBuffer): Points {
  const table = tableFromIPC(new Uint8Array(bytes));
  const column = (name: string): unknown => table.getChild(name)?.toArray();
  return {
    number: column("number") as Int32Array,
    x: column("x") as Float64Array,
    y: column("y") as Float64Array,
    inside: column("inside") as Uint8Array,
  };
}
