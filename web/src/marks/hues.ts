/**
 * Hues of the first eight segments; beyond, the mark carries the difference. Any two of them,
 * teal and copper stay apart under simulated protan-, deutan- and tritanopia, and each stands
 * out on white: tests/core/test_hues.py computes it.
 */
export const HUES = [
  "#0f3b83",
  "#6ea124",
  "#7d34ce",
  "#c57576",
  "#2a92ae",
  "#6a2910",
  "#ad78fc",
  "#481645",
];
