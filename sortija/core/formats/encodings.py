"""How text that is not Unicode was written: which code page of the letters of which language."""

from __future__ import annotations

from collections import Counter

from charset_normalizer import from_bytes

__all__ = ["ENCODINGS", "encoding_of"]

#: Code pages that a file can be read in, as people know them.
ENCODINGS = {
    "utf-8": "Unicode (UTF-8)",
    "cp1252": "Western European (Windows-1252)",
    "cp1250": "Central European (Windows-1250)",
    "cp1254": "Turkish (Windows-1254)",
    "cp1257": "Baltic (Windows-1257)",
    "cp1251": "Cyrillic (Windows-1251)",
    "cp1253": "Greek (Windows-1253)",
    "iso8859_2": "Central European (ISO 8859-2)",
    "iso8859_15": "Western European (ISO 8859-15)",
    "cp850": "Western European (DOS 850)",
    "cp852": "Central European (DOS 852)",
    "mac_roman": "Western European (Mac Roman)",
}
#: Letters beyond a to z of languages, the most frequent first, by the code page that has them.
_LETTERS = {
    "cp1252": ("äüöß", "éèàêçîâôûùïœëæÿ", "óíáéñúü¿¡ºª", "ãçáéóíêõúôâàºª", "àèùòìé", "äåöé", "øåæé",
               "ëéïèöüóê", "áíðéöóúþæý"),
    "cp1250": ("łąężóćśńź", "íáéěýřžčšůúňóďť", "áíéčžýšúťľäôňďóĺŕ", "áéóöőíüúű", "čžšćđ", "ăîâşţ"),
    "cp1254": ("ışüğçöâî",),
    "cp1257": ("āīēšūņžļčķģ", "ėįąšųžūčę", "äõüöšž"),
}  # fmt: skip
#: Signs that any of them may use.
_SIGNS = "“”„‘’–—…€£§°«»•©®™²×±½¾µ·\u00a0"
#: So much of the letters beyond a to z has to belong to one language.
_MOSTLY = 0.95


def encoding_of(data: bytes) -> str:
    """The code page of some bytes that are no UTF-8: a key of :data:`ENCODINGS`.

    Code pages of Latin letters differ in few places, so the one wins in which the letters beyond
    a to z are those of a single language; other scripts are told by charset-normalizer.

    >>> encoding_of("Töpfe, groß".encode("cp1252")), encoding_of("Łopata mała".encode("cp1250"))
    ('cp1252', 'cp1250')
    """
    best, most = "", 0.0
    for page, languages in _LETTERS.items():
        for letters in languages:
            share, likely = _fits(data, page, letters)
            if share >= _MOSTLY and likely > most:
                best, most = page, likely
    if best:
        return best
    found = from_bytes(data, cp_isolation=list(ENCODINGS), preemptive_behaviour=False).best()
    return found.encoding if found is not None and found.encoding in ENCODINGS else "cp1252"


def _fits(data: bytes, page: str, letters: str) -> tuple[float, float]:
    """(share, likelihood): how much of what is beyond a to z and usual signs, read in this page,
    is among these letters, and that with rare letters counting less. 1 where there is nothing."""
    counts = Counter(data.decode(page, errors="replace").lower())
    foreign = {c: n for c, n in counts.items() if ord(c) > 127 and c not in _SIGNS}
    total = sum(foreign.values())
    if total == 0:
        return 1.0, 1.0
    there = {c: n for c, n in foreign.items() if c in letters}
    likely = sum(n / (1 + letters.index(c) / 10) for c, n in there.items())
    return sum(there.values()) / total, likely / total
