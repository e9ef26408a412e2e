"""What a request says in its address stands in the API's schema: watched in every test.

A parameter that is read and not declared is one that the types of the front end do not know.
"""

import re
from collections import defaultdict
from contextlib import contextmanager
from functools import cache
from unittest import mock

from drf_spectacular.generators import SchemaGenerator
from rest_framework.request import Request

__all__ = ["declared", "watched"]


@cache
def declared():
    """Names of the parameters in the address, by operation, such as ``GET /api/studies``."""
    paths = SchemaGenerator().get_schema(request=None, public=True)["paths"]
    return {
        f"{method.upper()} {path}": {
            each["name"] for each in operation.get("parameters", []) if each["in"] == "query"
        }
        for path, operations in paths.items()
        for method, operation in operations.items()
    }


class _Read:
    """An address's parameters, which remember what they were asked for."""

    def __init__(self, given, read):
        self._given, self._read = given, read

    def get(self, name, default=None):
        if name is not None:  # the framework's own question, switched off
            self._read.add(name)
        return self._given.get(name, default)

    def __getitem__(self, name):
        self._read.add(name)
        return self._given[name]

    def __contains__(self, name):
        self._read.add(name)
        return name in self._given


def _operation(request):
    """The request's operation as the schema calls it."""
    route = "/" + request.resolver_match.route
    return f"{request.method} " + re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route)


@contextmanager
def watched(case):
    """Fail the case where a view read a parameter that its operation does not declare."""
    read = defaultdict(set)

    def params(self):
        return _Read(self._request.GET, read[_operation(self._request)])

    with mock.patch.object(Request, "query_params", property(params)):
        yield
    known = declared()
    wrong = {
        operation: sorted(names - known.get(operation, set()))
        for operation, names in read.items()
        if names - known.get(operation, set())
    }
    case.assertEqual(wrong, {}, "parameters that the schema does not declare")
