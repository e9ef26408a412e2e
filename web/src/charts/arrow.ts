/** Columns of an Arrow stream by name, as typed arrays; the reader is loaded when first needed. */
export async function readColumns(bytes: ArrayBuffer) {
  const { tableFromIPC } = await import("apache-arrow");
  const table = tableFromIPC(new Uint8Array(bytes));
  const column = (name: string): unknown => table.getChild(name)?.toArray();
  return {
    floats: (name: string) => (column(name) ?? new Float64Array()) as Float64Array,
    integers: (name: string) => (column(name) ?? new Int32Array()) as Int32Array,
    bytes: (name: string) => (column(name) ?? new Uint8Array()) as Uint8Array,
  };
}
