"""Cells of a notebook run one after the other, as a notebook's own program does."""

import ast
import io
import json
from contextlib import redirect_stdout

_KERNEL = {"display_name": "Python 3", "language": "python", "name": "python3"}

__all__ = ["cells_of", "run_cells", "written"]


def cells_of(path):
    """(kind, source, text that was shown) of each cell."""
    return [
        (cell["cell_type"], "".join(cell["source"]), _shown(cell.get("outputs", [])))
        for cell in json.loads(path.read_text("utf-8"))["cells"]
    ]


def _shown(outputs):
    parts = [
        "".join(each.get("text") or each.get("data", {}).get("text/plain", [])) for each in outputs
    ]
    return "\n".join(part.rstrip() for part in parts)


def run_cells(sources):
    """What each cell shows: what it prints, then its last expression."""
    scope, shown = {"__name__": "__main__"}, []
    for source in sources:
        said = io.StringIO()
        tree = ast.parse(source)
        last = tree.body.pop() if tree.body and isinstance(tree.body[-1], ast.Expr) else None
        with redirect_stdout(said):
            exec(compile(tree, "cell", "exec"), scope)
            value = _value(last, scope)
        parts = [said.getvalue().rstrip(), "" if value is None else repr(value)]
        shown.append("\n".join(part for part in parts if part))
    return shown


def _value(last, scope):
    if last is None:
        return None
    return eval(compile(ast.Expression(last.value), "cell", "eval"), scope)


def written(cells, shown):
    """The notebook's text, with what its cells show."""
    told, out = iter(shown), []
    for number, (kind, source, _) in enumerate(cells, 1):
        lines = source.splitlines(keepends=True)
        if kind == "markdown":
            out.append({"cell_type": kind, "id": f"cell-{number}", "metadata": {}, "source": lines})
            continue
        text = next(told)
        result = {"output_type": "execute_result", "execution_count": number, "metadata": {},
                  "data": {"text/plain": text.splitlines(keepends=True)}}  # fmt: skip
        out.append({
            "cell_type": kind, "id": f"cell-{number}", "execution_count": number, "metadata": {},
            "source": lines, "outputs": [result] if text else [],
        })  # fmt: skip
    book = {
        "cells": out, "nbformat": 4, "nbformat_minor": 5,
        "metadata": {"kernelspec": _KERNEL, "language_info": {"name": "python"}},
    }  # fmt: skip
    return json.dumps(book, indent=1, ensure_ascii=False) + "\n"
