/**
 * Hues of the first eight segments; beyond, the mark carries the difference. Any two of them,
 * teal and copper stay apart under simulated protan-, deutan- and tritanopia, and each stands
 * out on white: tests/core/test_hues.py computes it.
 */
export const HUES = [
  "#2040ac",
  "#24a84a",
  "#8e655f",
  "#8b839e",
  "#be7e85",
  "#6e2a3b",
  "#352e56",
  "#7591dc",
];
