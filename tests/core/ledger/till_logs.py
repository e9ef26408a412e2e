"""Logs of an invented shop as tills of several countries and makes would write them.

Each :class:`TillLog` is one such file with the role that each of its columns plays.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

__all__ = ["LOGS", "TillLog", "world"]

Row = dict[str, Any]
Show = Callable[[Row], str]

_DEPARTMENTS = ("Bread", "Dairy", "Fruit", "Drinks", "Paper", "Garden", "Frozen", "Toys")
_SITES = ("North Gate", "Harbour", "Old Mill")
_WORDS = (
    "amber", "birch", "cedar", "delta", "ember", "fjord", "grove", "hazel", "iris", "jade", "kelp",
    "lotus", "maple", "nutmeg",
)  # fmt: skip


def world(seed: int = 1, receipts: int = 700, most_lines: int = 5) -> list[Row]:
    """Lines of an invented shop in the order in which they were rung up."""
    rng = random.Random(seed)
    items = [
        {
            "item": f"{40_000 + 7 * n}", "ean": f"40{rng.randrange(10**11):011d}",
            "name": f"{rng.choice(_WORDS)} {rng.choice(_WORDS)} {n}", "department": n % 8,
            "price": round(rng.choice((0.5, 2.0, 8.0, 24.0)) * rng.uniform(1, 3) + 0.009, 2),
            "vat": (7, 19)[n % 3 == 0],
        }
        for n in range(90)
    ]  # fmt: skip
    customers = [
        {
            "card": f"{700_000 + 13 * n}", "postcode": f"{rng.randrange(20) + 40_100}",
            "person": f"{rng.choice(_WORDS)} {rng.choice(_WORDS)}son {n}",
            "born": rng.randrange(1940, 2005),
        }
        for n in range(260)
    ]  # fmt: skip
    now, rows, line_id = datetime(2025, 3, 3, 8, 5), [], 500_000
    for number in range(receipts):
        now += timedelta(minutes=rng.randrange(3, 55), seconds=rng.randrange(60))
        if now.hour >= 20:
            now = (now + timedelta(days=1)).replace(hour=8, minute=rng.randrange(5, 40))
        weight = int(260 * rng.random() ** 2)
        known = customers[weight] if rng.random() < 0.85 else dict.fromkeys(customers[0], "")
        site = rng.randrange(3)
        head = {
            **known, "receipt": 81_000 + number, "moment": now, "site": site,
            "till": rng.randrange(1, 5), "clerk": f"{rng.randrange(101, 112)}",
            "channel": rng.choice(("till", "till", "till", "web")),
            "paid": rng.choice(("card", "cash")), "of_day": 0,
            "code": f"{rng.randrange(16**6):06X}",
            "delivered": now + timedelta(days=rng.randrange(1, 6)),
        }  # fmt: skip
        back = rng.random() < 0.04
        lines = []
        for place in range(rng.randint(1, most_lines)):
            item = rng.choice(items)
            pieces = rng.choice((1, 1, 1, 1, 2, 2, 3, 5, 6))
            pieces = -pieces if back else pieces
            off = round(0.1 * item["price"], 2) if rng.random() < 0.1 else 0.0
            line_id += 1
            total = round(pieces * (item["price"] - off), 2)
            lines.append({
                **head, **item, "quantity": pieces, "off": off * pieces, "total": total,
                "net": round(total / (1 + item["vat"] / 100), 2), "line": place + 1,
                "line_id": line_id, "kind": int(back), "cost": round(0.6 * item["price"], 2),
                "points": int(abs(total)),
            })  # fmt: skip
        whole = round(sum(line["total"] for line in lines), 2)
        rows += [{**line, "receipt_total": whole} for line in lines]
    return rows


def heads(rows: list[Row]) -> list[Row]:
    """One row per receipt, its total in place of the lines' ones."""
    seen: dict[int, Row] = {}
    for row in rows:
        head = seen.setdefault(row["receipt"], {**row, "total": row["receipt_total"], "pieces": 0})
        head["pieces"] += row["quantity"]
    return list(seen.values())


def plain(key: str) -> Show:
    return lambda row: str(row[key])


def point(key: str, decimals: int = 2) -> Show:
    return lambda row: f"{row[key]:.{decimals}f}"


def comma(key: str, thousands: str = ".") -> Show:
    """As 1.234,50: a comma before the decimals."""

    def show(row: Row) -> str:
        return f"{row[key]:,.2f}".replace(",", "§").replace(".", ",").replace("§", thousands)

    return show


def whole(key: str, times: int = 100) -> Show:
    return lambda row: str(round(row[key] * times))


def stamp(pattern: str, key: str = "moment") -> Show:
    return lambda row: row[key].strftime(pattern)


def one_of(key: str, *words: str) -> Show:
    return lambda row: words[row[key]]


def said(pattern: str, **fields: str) -> Show:
    """Other fields put into a text."""
    return lambda row: pattern.format(**row)


def month_named(names: str, pattern: str) -> Show:
    months = names.split()
    return lambda row: pattern.format(d=row["moment"], m=months[row["moment"].month - 1])


#: Roles that a column may be given without being wrong; *out* is written as such.
OUT = "out"


@dataclass(frozen=True)
class TillLog:
    """A file: its columns as (heading, what a row shows, roles that are right)."""

    name: str
    columns: tuple[tuple[str, Show, str], ...]
    delimiter: str = ","
    encoding: str = "utf-8"
    rows: Callable[[], list[Row]] = world
    headless: bool = False

    def write(self, folder: Path) -> Path:
        """The file itself."""

        def cell(text: str) -> str:
            quoted = self.delimiter in text or '"' in text
            return '"' + text.replace('"', '""') + '"' if quoted else text

        lines = [] if self.headless else [self.delimiter.join(cell(n) for n, _, _ in self.columns)]
        for row in self.rows():
            lines.append(self.delimiter.join(cell(show(row)) for _, show, _ in self.columns))
        path = folder / f"{self.name}.csv"
        path.write_bytes(("\r\n".join(lines) + "\r\n").encode(self.encoding))
        return path

    def right(self) -> dict[str, set[str]]:
        """Roles that are right for each column, by the name that the reader gives it."""
        return {
            (f"column {place}" if self.headless else name): set(roles.split("/"))
            for place, (name, _, roles) in enumerate(self.columns, 1)
        }


def by_customer() -> list[Row]:
    return sorted(world(3), key=lambda row: (str(row["card"]), row["moment"]))


def one_line_each() -> list[Row]:
    return heads(world(4, receipts=1600))


def counted_daily() -> list[Row]:
    """Receipt numbers that begin anew every morning."""
    rows, day, number, before = [], None, 0, None
    for row in world(5):
        if row["moment"].date() != day:
            day, number, before = row["moment"].date(), 0, None
        if row["receipt"] != before:
            number, before = number + 1, row["receipt"]
        rows.append({**row, "of_day": number})
    return rows


def shuffled() -> list[Row]:
    """In the order of items, as an export of a warehouse is."""
    return sorted(world(6), key=lambda row: (row["item"], row["moment"]))


def large_amounts() -> list[Row]:
    """Amounts over a thousand, as in a currency without small coins."""
    return [
        {**row, **{k: round(400 * row[k]) for k in ("price", "total", "cost")}}
        for row in [{**r, "total": r["quantity"] * r["price"]} for r in world(7)]
    ]


def dear() -> list[Row]:
    """Prices of several hundred, so that totals have a mark for thousands."""
    return [
        {**row, "price": 97 * row["price"], "total": 97 * row["price"] * row["quantity"]}
        for row in world(8)
    ]


def ones() -> list[Row]:
    """A rented thing per line: nobody takes two."""
    return [row for row in world(9) if row["quantity"] == 1]


LOGS = (
    TillLog("english", (
        ("receipt_no", plain("receipt"), "receipt"), ("card_no", plain("card"), "customer"),
        ("sold_at", stamp("%Y-%m-%d %H:%M:%S"), "moment"),
        ("store", one_of("site", *_SITES), "site"), ("channel", plain("channel"), "channel"),
        ("sku", plain("item"), "item"), ("description", plain("name"), "out"),
        ("department", one_of("department", *_DEPARTMENTS), "department"),
        ("qty", plain("quantity"), "quantity"), ("unit_price", point("price"), "price"),
        ("line_total", point("total"), "money"), ("type", one_of("kind", "sale", "return"), "kind"),
    )),
    TillLog("german", (
        ("Bonnr", plain("receipt"), "receipt"), ("Pos", plain("line"), "out"),
        ("Kundennr", plain("card"), "customer"), ("Datum", stamp("%d.%m.%Y"), "moment"),
        ("Uhrzeit", stamp("%H:%M"), "time"), ("Filiale", one_of("site", *_SITES), "site"),
        ("Kassierer", plain("clerk"), "out"), ("Artikelnr", plain("item"), "item"),
        ("Bezeichnung", plain("name"), "out"),
        ("Warengruppe", one_of("department", *_DEPARTMENTS), "department"),
        ("Menge", plain("quantity"), "quantity"), ("Einzelpreis", comma("price"), "price"),
        ("Betrag", comma("total"), "money"), ("MwSt", plain("vat"), "out"),
        ("Vorgang", one_of("kind", "Verkauf", "Rückgabe"), "kind"),
    ), ";", "cp1252"),
    TillLog("german_clock", (
        ("Datum", stamp("%Y%m%d"), "moment"), ("Zeit", stamp("%H%M"), "time"),
        ("Kasse", plain("till"), "out/channel"), ("Kartennummer", plain("card"), "customer"),
        ("Bon", plain("receipt"), "receipt"), ("Artikel", plain("name"), "item"),
        ("Anzahl", plain("quantity"), "quantity"), ("Umsatz brutto", comma("total"), "money"),
        ("Umsatz netto", comma("net"), "out"),
    ), "\t"),
    TillLog("french", (
        ("N° ticket", plain("receipt"), "receipt"), ("N° carte", plain("card"), "customer"),
        ("Date", stamp("%d/%m/%Y"), "moment"), ("Heure", stamp("%Hh%M"), "time"),
        ("Magasin", one_of("site", *_SITES), "site"), ("Réf.", plain("ean"), "item"),
        ("Libellé", plain("name"), "out"),
        ("Rayon", one_of("department", *_DEPARTMENTS), "department"),
        ("Quantité", plain("quantity"), "quantity"),
        ("Prix unitaire", comma("price", " "), "price"),
        ("Montant TTC", comma("total", " "), "money"), ("Code postal", plain("postcode"), "out"),
    ), ";"),
    TillLog("french_named_months", (
        ("Client", plain("card"), "customer"),
        ("Jour", month_named("janvier février mars avril mai juin juillet août septembre octobre"
                             " novembre décembre", "{d.day} {m} {d.year}"), "moment"),
        ("Ticket", plain("receipt"), "receipt"), ("Article", plain("item"), "item"),
        ("Famille", one_of("department", *_DEPARTMENTS), "department"),
        ("Montant", lambda r: comma("total", " ")(r) + " €", "money"),
    ), ";"),
    TillLog("spanish", (
        ("Ticket", plain("receipt"), "receipt"), ("Socio", plain("card"), "customer"),
        ("Fecha", stamp("%d/%m/%Y"), "moment"), ("Hora", stamp("%H:%M:%S"), "time"),
        ("Tienda", one_of("site", *_SITES), "site"), ("Vendedor", plain("clerk"), "out"),
        ("Artículo", plain("item"), "item"), ("Descripción", plain("name"), "out"),
        ("Sección", one_of("department", *_DEPARTMENTS), "department"),
        ("Unidades", plain("quantity"), "quantity"), ("Precio", comma("price"), "price"),
        ("Importe", comma("total"), "money"), ("Total ticket", comma("receipt_total"), "out"),
        ("Tipo", one_of("kind", "venta", "devolución"), "kind"),
    ), ";"),
    TillLog("dutch", (
        ("Bonnummer", plain("receipt"), "receipt"), ("Regel", plain("line"), "out"),
        ("Klantnummer", plain("card"), "customer"), ("Datum", stamp("%d-%m-%Y"), "moment"),
        ("Tijd", stamp("%H.%M"), "time"), ("Winkel", one_of("site", *_SITES), "site"),
        ("Artikelnummer", plain("item"), "item"), ("Omschrijving", plain("name"), "out"),
        ("Groep", one_of("department", *_DEPARTMENTS), "department"),
        ("Aantal", plain("quantity"), "quantity"), ("Stukprijs", comma("price"), "price"),
        ("Bedrag", comma("total"), "money"), ("Inkoopprijs", comma("cost"), "cost"),
    ), ";"),
    TillLog("portuguese", (
        ("Fatura", plain("receipt"), "receipt"), ("Nº cliente", plain("card"), "customer"),
        ("Data", stamp("%d/%m/%Y %H:%M"), "moment"), ("Loja", one_of("site", *_SITES), "site"),
        ("Artigo", plain("item"), "item"), ("Descrição", plain("name"), "out"),
        ("Família", one_of("department", *_DEPARTMENTS), "department"),
        ("Qtd", plain("quantity"), "quantity"), ("Preço", comma("price"), "price"),
        ("Valor", comma("total"), "money"),
    ), ";"),
    TillLog("polish", (
        ("Paragon", plain("receipt"), "receipt"), ("Nabywca", plain("card"), "customer"),
        ("Kiedy", stamp("%Y-%m-%d"), "moment"), ("Godzina", stamp("%H:%M"), "time"),
        ("Towar", plain("item"), "item"), ("Ile", plain("quantity"), "quantity"),
        ("Cena", comma("price"), "price"), ("Razem", comma("total"), "money"),
    ), ";", "cp1250"),
    TillLog("nameless", (
        ("F1", plain("code"), "receipt"), ("F2", stamp("%d.%m.%y"), "moment"),
        ("F3", stamp("%H:%M"), "time"), ("F4", plain("card"), "customer"),
        ("F5", plain("item"), "item"), ("F6", plain("quantity"), "quantity"),
        ("F7", point("price"), "price"), ("F8", point("total"), "money"),
    ), "|"),
    TillLog("headless", (
        ("", stamp("%Y-%m-%d %H:%M"), "moment"), ("", plain("card"), "customer"),
        ("", plain("receipt"), "receipt"), ("", plain("item"), "item"),
        ("", point("total"), "money"),
    ), headless=True),
    TillLog("one_line_per_receipt", (
        ("order", plain("receipt"), "receipt"), ("client", plain("card"), "customer"),
        ("order date", stamp("%d %b %Y"), "moment"),
        ("delivery date", stamp("%d %b %Y", "delivered"), "out"),
        ("items", plain("pieces"), "quantity/out"), ("amount", point("total"), "money"),
        ("payment", plain("paid"), "out/channel"),
    ), rows=one_line_each),
    TillLog("one_line_nameless", (
        ("a", plain("card"), "customer"), ("b", stamp("%Y-%m-%dT%H:%M:%S"), "moment"),
        ("c", point("total"), "money"),
    ), rows=one_line_each),
    TillLog("sorted_by_customer", (
        ("Kunde", plain("card"), "customer"), ("Name", plain("person"), "out"),
        ("PLZ", plain("postcode"), "out"), ("Geburtsjahr", plain("born"), "out"),
        ("Beleg", plain("receipt"), "receipt"), ("Belegdatum", stamp("%d.%m.%Y"), "moment"),
        ("Artikel", plain("item"), "item"), ("Stück", plain("quantity"), "quantity"),
        ("Wert", comma("total"), "money"),
    ), ";", rows=by_customer),
    TillLog("numbers_begin_anew", (
        ("Bon", plain("of_day"), "receipt"), ("Datum", stamp("%d.%m.%Y"), "moment"),
        ("Zeit", stamp("%H:%M:%S"), "time"), ("Karte", plain("card"), "customer"),
        ("Artikel", plain("item"), "item"), ("Menge", plain("quantity"), "quantity"),
        ("Summe", comma("total"), "money"),
    ), ";", rows=counted_daily),
    TillLog("anew_and_nameless", (
        ("k1", plain("of_day"), "receipt"), ("k2", stamp("%d.%m.%Y"), "moment"),
        ("k3", stamp("%H:%M:%S"), "time"), ("k4", plain("card"), "customer"),
        ("k5", plain("item"), "item"), ("k6", comma("total"), "money"),
    ), ";", rows=counted_daily),
    TillLog("by_item", (
        ("article", plain("item"), "item"),
        ("group", one_of("department", *_DEPARTMENTS), "department"),
        ("invoice", plain("receipt"), "receipt"), ("account", plain("card"), "customer"),
        ("date", stamp("%m/%d/%Y"), "moment"), ("units", plain("quantity"), "quantity"),
        ("net value", point("total"), "money"),
    ), rows=shuffled),
    TillLog("no_small_coins", (
        ("ticket", plain("receipt"), "receipt"), ("member", plain("card"), "customer"),
        ("when", stamp("%Y/%m/%d %H:%M"), "moment"), ("product", plain("item"), "item"),
        ("pcs", plain("quantity"), "quantity"), ("price", plain("price"), "price"),
        ("sum", plain("total"), "money"),
    ), rows=large_amounts),
    TillLog("thousands", (
        ("Invoice", plain("receipt"), "receipt"), ("Customer", plain("card"), "customer"),
        ("Date", stamp("%d %B %Y"), "moment"), ("Product", plain("name"), "item"),
        ("Units", plain("quantity"), "quantity"),
        ("Price", lambda r: f"£{r['price']:,.2f}", "price"),
        ("Total", lambda r: f"£{r['total']:,.2f}", "money"),
    ), rows=dear),
    TillLog("without_receipts", (
        ("loyalty id", plain("card"), "customer"), ("purchase date", stamp("%Y-%m-%d"), "moment"),
        ("branch", one_of("site", *_SITES), "site"),
        ("category", one_of("department", *_DEPARTMENTS), "department"),
        ("spend", point("total"), "money"),
    )),
    TillLog("many_traps", (
        ("line_id", plain("line_id"), "out"), ("ticket", plain("receipt"), "receipt"),
        ("line", plain("line"), "out"), ("date", stamp("%d/%m/%Y"), "moment"),
        ("clock", stamp("%H%M"), "time"), ("desk", plain("till"), "out/channel"),
        ("clerk", plain("clerk"), "out"), ("member", plain("card"), "customer"),
        ("member name", plain("person"), "out"), ("postcode", plain("postcode"), "out"),
        ("born", plain("born"), "out"), ("ean", plain("ean"), "item"),
        ("text", plain("name"), "out"), ("vat", plain("vat"), "out"),
        ("pieces", plain("quantity"), "quantity"), ("price", point("price"), "price"),
        ("total", point("total"), "money"), ("ticket total", point("receipt_total"), "out"),
        ("points", plain("points"), "out"),
    )),
    TillLog("totals_first", (
        ("ticket_total", point("receipt_total"), "out"), ("ticket", plain("receipt"), "receipt"),
        ("shopper", plain("card"), "customer"), ("stamp", stamp("%Y-%m-%d %H:%M"), "moment"),
        ("plu", plain("item"), "item"), ("amount", point("total"), "money"),
    )),
    TillLog("shop_of_ones", (
        ("Vertrag", plain("receipt"), "receipt/out"), ("Mitglied", plain("card"), "customer"),
        ("Tag", stamp("%d.%m.%Y"), "moment"), ("Produkt", plain("item"), "item"),
        ("Preis", comma("total"), "money/price"),
    ), ";", rows=ones),
    TillLog("am_and_pm", (
        ("Trans #", plain("code"), "receipt"), ("Acct", plain("card"), "customer"),
        ("Date", stamp("%m/%d/%y"), "moment"), ("Time", stamp("%I:%M %p"), "time"),
        ("Location", one_of("site", *_SITES), "site"), ("UPC", plain("ean"), "item"),
        ("Qty", plain("quantity"), "quantity"), ("Ext Price", point("total"), "money"),
        ("Each", point("price"), "price"),
    )),
)  # fmt: skip
