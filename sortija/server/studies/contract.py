"""What the API's schema says of every operation beside what its own view says."""

from __future__ import annotations

from typing import Any

from pydantic import ConfigDict

from sortija.server.studies.problems import ProblemDocument

__all__ = ["WHOLE", "with_problems"]

_NAME = "ProblemDocument"


def _every_field(schema: dict[str, Any]) -> None:
    schema["required"] = list(schema["properties"])


#: Of what is sent and answered whole: its schema names every field, those with defaults, too.
WHOLE = ConfigDict(json_schema_extra=_every_field)


def with_problems(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """The schema with a problem document as every operation's answer to what cannot be done.

    A hook of drf-spectacular; ``result``: the whole schema.
    """
    components = result.setdefault("components", {}).setdefault("schemas", {})
    components[_NAME] = ProblemDocument.model_json_schema()
    found = {"schema": {"$ref": f"#/components/schemas/{_NAME}"}}
    failed = {
        "description": "It cannot be done, and why.",
        "content": {"application/problem+json": found},
    }
    for operations in result["paths"].values():
        for operation in operations.values():
            operation["responses"].setdefault("default", failed)
    return result
