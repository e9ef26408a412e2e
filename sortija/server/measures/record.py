"""How every measure in use is prepared, as text that somebody else can follow by hand."""

from __future__ import annotations

import numpy as np

from sortija.core.measures.preparation import fit
from sortija.core.measures.preparation_words import fitted_in_words
from sortija.core.table import Column
from sortija.server.measures.actions import plan_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.plan import prepared_steps, role_of
from sortija.server.studies.models import Study

__all__ = ["preparation_record"]

_ROLES = {"shapes": "Shapes the groups", "describes": "Describes the groups", "out": "Left out"}


def preparation_record(study: Study, made: MeasureSet) -> str:
    """Window, then each measure by its role: definition and preparation with its constants."""
    plan, _ = plan_of(study)
    window, present = made.window, made.present
    looked = "from the beginning" if window.back == "all" else f"{window.back} back"
    out = [
        f"{study.name}: how measures are prepared",
        f"Window to {window.to:%d %b %Y}, {looked}; {int(present.sum()):,} rows with a purchase."
        if made.derived else f"{int(present.sum()):,} rows.",
    ]  # fmt: skip
    for role, title in _ROLES.items():
        mine = [n for n in made.sources if role_of(made, plan, n) == role]
        if not mine:
            continue
        out += ["", title]
        for name in mine:
            about = made.about(name)
            if made.source(name).kind != "number":
                out.append(f"- {about.label}: a category, as it is.")
            elif role == "out":
                out.append(f"- {about.label}")
            else:
                column = made.column(name)
                there = np.asarray(column.values, np.float64)[present]
                fitted = fit(Column(name, "number", there), prepared_steps(made, plan, name))
                unit = f" ({about.unit})" if about.unit else ""
                out.append(f"- {about.label}{unit}: {fitted_in_words(fitted)}.")
                if about.definition:
                    out.append(f"  {about.definition}")
    return "\n".join(out) + "\n"
