"""Answers are compressed, named by what is in them, and all in the schema."""

import gzip
import json

from drf_spectacular.generators import SchemaGenerator

from tests.server.support import DemoCase, run_jobs

GZIP = {"accept-encoding": "gzip"}


class Answers(DemoCase):
    def test_a_page_travels_compressed_and_only_when_it_changed(self):
        path = self.url("measures")
        plain = self.client.get(path)
        packed = self.client.get(path, headers=GZIP)
        self.assertEqual(packed.headers["Content-Encoding"], "gzip")
        self.assertLess(len(packed.content), len(plain.content) / 4)
        self.assertEqual(json.loads(gzip.decompress(packed.content)), plain.json())
        self.assertEqual(packed.headers["Cache-Control"], "private, no-cache")
        mark = packed.headers["ETag"]
        again = self.client.get(path, headers={**GZIP, "if-none-match": mark})
        self.assertEqual((again.status_code, again.content), (304, b""))
        self.send("put", "ledger/rules/returns", {"on": True})
        after = self.client.get(path, headers={**GZIP, "if-none-match": mark})
        self.assertEqual(after.status_code, 200)
        self.assertNotEqual(after.headers["ETag"], mark)

    def test_revisions_are_no_names_of_answers(self):
        answer = self.client.get(self.url("trail"), headers={"if-match": '"7"'})
        self.assertEqual(answer.status_code, 200)

    def test_files_stay_as_they_are(self):
        kept = self.send("post", "exports", {"kind": "csv"}, 201)
        run_jobs()
        answer = self.client.get(self.url(f"exports/{kept['id']}/dictionary"), headers=GZIP)
        self.assertEqual(answer.status_code, 200)
        self.assertNotIn("Content-Encoding", answer.headers)

    def test_every_operation_says_what_it_is_for_and_how_it_fails(self):
        schema = SchemaGenerator().get_schema(request=None, public=True)
        self.assertEqual(schema["openapi"], "3.1.0")
        count = 0
        for path, operations in schema["paths"].items():
            for method, operation in operations.items():
                count += 1
                with self.subTest(f"{method} {path}"):
                    self.assertTrue(operation.get("description", "").strip())
                    failed = operation["responses"]["default"]["content"]
                    self.assertIn("application/problem+json", failed)
        self.assertGreater(count, 100)
