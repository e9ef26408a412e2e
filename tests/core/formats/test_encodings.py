"""Code pages told from the letters in a file, and read with them."""

import tempfile
import unittest
from pathlib import Path

from sortija.core.formats.encodings import ENCODINGS, encoding_of
from sortija.core.formats.opening import open_rows

TEXTS = {
    "cp1252": (
        "Töpfe groß;Gartenmöbel;Geräte für Gärtner", "Pâté d’été;Crème brûlée;Épicerie",
        "Muñeca pequeña;Juguetes niños;nº", "Pão de açúcar;Alimentação", "Caffè;Città;però",
        "Grädde;Köttbullar;Ål", "Rødgrød med fløde", "Pots – large “blue”;£5;12 m²;Café",
    ),
    "cp1250": (
        "Doniczka żółta;Łopata mała;Narzędzia", "Květináč červený;Nářadí pro děti",
        "Virágcserép;Kertészet;Ásó nagy;őszi", "Kućište;čaša;žlica",
    ),
    "cp1251": ("Горшок большой;Лопата;Инструменты" * 20,),
    "cp1253": ("Γλάστρα μεγάλη;Φτυάρι" * 20,),
    "cp1254": ("Çiçek saksısı büyük;Kürek ağaç",),
    "cp1257": ("Puķu podi;Dārza rīki",),
}  # fmt: skip


class Encodings(unittest.TestCase):
    def test_the_language_of_the_letters_tells_the_page(self):
        for page, texts in TEXTS.items():
            for text in texts:
                with self.subTest(text=text[:40]):
                    self.assertEqual(encoding_of(text.encode(page)), page)

    def test_a_file_is_read_in_its_page_or_in_the_one_that_is_said(self):
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "log.csv"
        rows = "".join(f"{n};Łopata mała;3,20\n" for n in range(40))
        path.write_bytes(f"klient;artykuł;kwota\n{rows}".encode("cp1250"))
        file = open_rows(path)
        self.assertEqual(file.names, ("klient", "artykuł", "kwota"))
        self.assertEqual(file.first_rows(1).column("artykuł").to_pylist(), ["Łopata mała"])
        self.assertEqual(file.notes, [f"Read as {ENCODINGS['cp1250']}."])
        said = open_rows(path, encoding="cp1252")
        self.assertEqual(said.names, ("klient", "artyku³", "kwota"))

    def test_every_page_on_offer_can_be_read(self):
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "log.csv"
        path.write_bytes(b"a;b\n1;2\n3;4\n")
        for page in ENCODINGS:
            self.assertEqual(open_rows(path, encoding=page).first_rows().num_rows, 2, page)
