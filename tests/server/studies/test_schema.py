"""Whatever the API's own schema allows, and what it does not, is answered and never thrown.

More examples of every operation: ``python -m tests.longer schema 200``.
"""

import json
import logging
import os
import warnings

import schemathesis
from drf_spectacular.generators import SchemaGenerator
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from rest_framework.test import APIClient
from schemathesis import GenerationMode
from schemathesis.config import GenerationConfig, ProjectConfig, ProjectsConfig, SchemathesisConfig

from sortija.server.groups.models import Grouping, Segment
from sortija.server.ledger.models import Intake, Original
from tests.server.seen import seen
from tests.server.support import DemoCase

EXAMPLES = int(os.environ.get("SORTIJA_TEST_EXAMPLES", "2"))
SEED = int(os.environ.get("SORTIJA_TEST_SEED", "1"))
_SETTINGS = settings(
    max_examples=EXAMPLES, deadline=None, database=None, phases=[Phase.generate],
    suppress_health_check=list(HealthCheck), derandomize=False,
)  # fmt: skip


def operations():
    """Every operation of the schema, with a strategy for sound and for unsound requests."""
    raw = SchemaGenerator().get_schema(request=None, public=True)
    both = GenerationConfig(modes=[GenerationMode.POSITIVE, GenerationMode.NEGATIVE])
    config = SchemathesisConfig(projects=ProjectsConfig(default=ProjectConfig(generation=both)))
    schema = schemathesis.openapi.from_dict(json.loads(json.dumps(raw, default=str)), config=config)
    for found in schema.get_all_operations():
        operation = found.ok()
        strategies = [
            operation.as_strategy(generation_mode=mode)
            for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE)
        ]
        yield operation.label, strategies


class Schema(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        self.adopt()
        self.there = {
            "study": [self.study.pk], "intake": list(Intake.objects.values_list("pk", flat=True)),
            "grouping": list(Grouping.objects.values_list("pk", flat=True)),
            "segment": list(Segment.objects.values_list("pk", flat=True)),
            "upload": list(Original.objects.values_list("pk", flat=True)),
            "customer": [0, 1, 2], "name": ["recency", "monetary"], "rule": ["void", "returns"],
            "slot": [0], "campaign": [1], "kept": [1], "member": [1], "job": [1],
        }  # fmt: skip

    def ask(self, case, choose, client):
        """Send what was generated, mostly about something that is there."""
        parts = dict(case.path_parameters or {})
        for name, known in self.there.items():
            if name in parts and known and (name == "study" or choose(4)):
                parts[name] = known[choose(len(known))]
        path = case.operation.path
        for name, value in parts.items():
            path = path.replace(f"{{{name}}}", str(value))
        path = path.replace("\x00", "%00").encode("utf-8", "surrogatepass").decode("latin-1")
        headers = {str(k): str(v) for k, v in (case.headers or {}).items()}
        headers = {k: v for k, v in headers.items() if k.lower() not in ("content-type", "cookie")}
        revision = seen(self.study, path.removeprefix(self.url("")))
        if revision is not None and choose(5):
            headers["If-Match"] = f'"{revision}"'
        data = b""
        if isinstance(case.body, bytes):
            data = case.body
        elif case.operation.body and not repr(case.body).startswith("<NOT SET"):
            data = json.dumps(case.body, default=str).encode("utf-8", "surrogatepass")
        query = {
            str(key): str(value).encode("utf-8", "surrogatepass")
            for key, value in (case.query or {}).items()
        }
        return client.generic(
            case.method, path, data, content_type=case.media_type or "application/json",
            query_params=query, headers=headers,
        )  # fmt: skip

    def check(self, response, what):
        if what.startswith("GET /api/health"):
            return  # it answers 503 where no worker is
        self.assertLess(response.status_code, 500, f"{what}: {response.getvalue()[:500]}")
        if response.status_code >= 400:
            self.assertIn("problem+json", response.headers.get("Content-Type", ""), what)
            self.assertTrue(json.loads(response.content)["detail"].strip(), what)

    def test_every_operation(self):
        tried = 0
        for label, strategies in operations():
            with self.subTest(operation=label), warnings.catch_warnings():
                warnings.simplefilter("ignore")
                tried += self.one(label, st.one_of(*strategies))
        self.assertGreater(tried, 80 * EXAMPLES)

    def one(self, label, strategy):
        asked = []

        @seed(SEED)
        @_SETTINGS
        @given(case=strategy, chosen=st.randoms(use_true_random=False))
        def examples(case, chosen):
            asked.append(label)
            known = chosen.random() < 0.9
            client = self.signed_in(self.owner) if known else APIClient()
            client.raise_request_exception = False
            response = self.ask(case, chosen.randrange, client)
            self.check(response, f"{label} {case.path_parameters} {case.query} {case.body!r:.500}")
            if response.streaming:
                response.getvalue()

        examples()
        return len(asked)
