"""What headings and words of a log say: in English, German, French, Spanish, Dutch, Portuguese.

They only help a guess: a column is never taken for its name alone where its cells speak against it.
"""

from __future__ import annotations

import re
import unicodedata
from typing import Literal

__all__ = ["LineKind", "customer_named", "folded", "kind_of", "name_speaks_for", "of_selling"]

LineKind = Literal["sale", "return", "void", "other"]

_HEADINGS = {
    "customer": r"card|custom|client|member|loyal|shopper|account|acct|buyer|kunde|kunden|kd.?nr|"
    r"karte|mitglied|carte|adherent|fidelite|socio|tarjeta|abonad|klant|kaart|\blid|cartao",
    "receipt": r"receipt|ticket|trans|order|invoice|basket|\bbon|beleg|rechnung|bestell|vorgang|"
    r"vertrag|facture|commande|recibo|factura|pedido|kassabon|factuur|fatura|encomenda|cupom|\bdoc",
    "moment": r"date|time|sold|stamp|when|\bday|datum|\btag|tag$|zeitpunkt|jour|fecha|\bdia\b|data",
    "time": r"uhrzeit|zeit|heure|\bhora|tijd|time|clock|hour",
    "site": r"site|store|shop|branch|outlet|location|place|filiale|markt|standort|magasin|boutique|"
    r"tienda|sucursal|winkel|filiaal|vestiging|\bloja",
    "channel": r"channel|till|web|online|medium|kanal|vertriebsweg|\bcanal|kanaal",
    "item": r"item|article|product|sku|\bean|plu\b|upc|gtin|barcode|artikel|produkt|produit|"
    r"\bref\b|articulo|producto|artigo|produto",
    "department": r"department|dept|categ|group|family|section|abteilung|gruppe|sortiment|rayon|"
    r"famille|departamento|seccion|familia|afdeling|groep|seccao|\bdepto",
    "quantity": r"qty|quantity|pieces|pcs|units|count|menge|anzahl|stuck\b|stueck\b|quantit|\bnb\b|"
    r"cantidad|unidades|\buds\b|aantal|stuks|quantidade|\bqtd|\bqte",
    "price": r"price|each|preis|\bprix|precio|prijs|preco",
    "money": r"total|amount|value|net|gross|sum|revenue|paid|spend|betrag|umsatz|summe|gesamt|wert|"
    r"brutto|montant|somme|\bca\b|importe|monto|venta|bedrag|totaal|omzet|valor|ext.?price",
    "kind": r"kind|type|status|void|action|\bart\b|belegart|vorgang|typ|tipo|estado|soort|situacao",
    "cost": r"cost|purchase.?price|cogs|buying|\bek\b|einkauf|\bcout|\bcoste|"
    r"kostprijs|inkoop|custo",
    "currency": r"currency|curr\b|ccy|wahrung|waehrung|devise|moneda|divisa|valuta|moeda",
    "offer": r"offer|promo|discount|coupon|campaign|deal|aktion|rabatt|gutschein|remise|oferta|"
    r"descuento|korting|actie|desconto",
}
#: Headings that speak against a role, though a word of it is in them.
_AGAINST = {
    "moment": r"deliver|birth|born|due|expir|liefer|geburt|fallig|livrais|naissance|echeance|"
    r"entrega|nacim|nascim|vencim|bezorg|lever|geboorte|verval|joined|since|update",
    "customer": r"name\b|nom\b|naam|post|\bplz|zip|group|gruppe|type|typ\b|since|\bcard type",
    "receipt": r"date|datum|tag$|time|zeit|total|sum|art\b|type|value|fecha|line|\bpos",
    "money": r"ticket|receipt|order|basket|bon\b|beleg|facture|price\b(?<!ext price)|preis|prix|"
    r"precio|prijs|preco|tax|vat|mwst|tva|\biva|btw|points|punkt|discount|rabatt|balance",
    "item": r"group|gruppe|groep|name\b|descr|bezeich|libelle|omschr|price|preis|prijs",
    "price": r"ext|total|purchase|cost|einkauf|inkoop",
    "quantity": r"price|preis|points|discount",
    "kind": r"pay|zahl|paiement|pago|betaal|card",
    "department": r"customer|kunden|client",
}
_BACK = re.compile(
    r"ret|refund|credit|back|ruck|rueck|gutschrift|rembours|\bavoir|devol|reembols|abono|terug",
    re.I,
)
_VOID = re.compile(r"void|cancel|abort|test|deleted|storn|annul|anulad|geannul", re.I)
_OTHER = re.compile(
    r"gift|voucher|deposit|deliver|shipping|fee\b|donation|top.?up|pfand|gutschein|versand|"
    r"lieferung|spende|consigne|livraison|cheque|envio|regalo|statiegeld|bezorg|bon\b|entrega|frete",
    re.I,
)
_SELLING = re.compile(
    r"sale|sold|purchase|buy|normal|verkauf|\bkauf|vente|achat|venta|compra|verkoop|aankoop|venda",
    re.I,
)


def folded(text: str) -> str:
    """Small letters without accents; underlines and points are blanks.

    >>> folded("N°_Réf. Größe")
    'n ref grosse'
    """
    plain = unicodedata.normalize("NFKD", text.replace("ß", "ss")).casefold()
    letters = "".join(c for c in plain if not unicodedata.combining(c))
    return re.sub(r"[^a-z0-9]+", " ", letters).strip()


def name_speaks_for(role: str, column: str) -> float:
    """How far a heading speaks for a role: 1 where it says nothing else, 0 where it says nothing.

    >>> name_speaks_for("customer", "Kundennr"), name_speaks_for("customer", "F4")
    (1.0, 0.0)
    >>> name_speaks_for("moment", "delivery date") < name_speaks_for("moment", "order date")
    True
    """
    heading = folded(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", column))
    if not re.search(_HEADINGS[role], heading):
        return 0.0
    against = _AGAINST.get(role)
    if against and re.search(against, heading):
        return 0.3
    ends = r"( ?(id|no|nr|n|code|number|nummer|numero|num|at|on|en))?"
    exact = re.fullmatch(rf"(n |nr |no )?({_HEADINGS[role]}){ends}", heading)
    return 1.0 if exact else 0.8


def customer_named(column: str) -> bool:
    """Whether a column's name speaks of customers or cards.

    >>> customer_named("card_no"), customer_named("total")
    (True, False)
    """
    return name_speaks_for("customer", column) > 0.5


def kind_of(word: str) -> LineKind:
    """What a line is by the word that its file has for it; *sale* where the word tells nothing.

    >>> kind_of("Refund"), kind_of("sale"), kind_of("Rückgabe"), kind_of("Storno")
    ('return', 'sale', 'return', 'void')
    """
    plain = folded(word)
    if _VOID.search(plain):
        return "void"
    if _OTHER.search(plain):
        return "other"
    return "return" if _BACK.search(plain) else "sale"


def of_selling(word: str) -> bool:
    """Whether a word says that a line is a sale.

    >>> of_selling("Verkauf"), of_selling("cash")
    (True, False)
    """
    return bool(_SELLING.search(folded(word)))
