/**
 * Hues of the first eight segments; beyond, the mark carries the difference. Any two of them,
 * teal and copper stay apart under simulated protan-, deutan- and tritanopia, and each stands
 * out on white: tests/core/test_hues.py computes it.
 */
export const HUES = [
  "#1f5aa8",
  "#1d8a5b",
  "#b0459a",
  "#5c626c",
  "#c78a00",
  "#b22a3c",
  "#3a2f6b",
  "#7fa0d8",
];
