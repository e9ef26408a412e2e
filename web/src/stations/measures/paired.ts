import { word, words } from "@/study/address";

/** What *Pairs* keeps in the address: one pair, or the measures of the matrix. */
export const PAIRED = { look: word, x: word, y: word, names: words };
