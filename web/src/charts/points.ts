import { readColumns } from "@/charts/arrow";

export interface Points {
  number: Int32Array;
  x: Float64Array;
  y: Float64Array;
  inside: Uint8Array;
}

/** Points of a picture from an Arrow stream. */
export async function readPoints(bytes: ArrayBuffer): Promise<Points> {
  const column = await readColumns(bytes);
  return {
    number: column.integers("number"),
    x: column.floats("x"),
    y: column.floats("y"),
    inside: column.bytes("inside"),
  };
}
