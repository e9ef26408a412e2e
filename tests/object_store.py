"""A small store of objects over HTTP, as S3 is spoken to: lists, heads and reads of a folder."""

import re
from datetime import UTC, datetime
from email.utils import formatdate
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread
from urllib.parse import parse_qs, unquote, urlsplit
from xml.sax.saxutils import escape


class ObjectStore:
    """Serves the folders of ``root`` as buckets; ``asked`` keeps what was read of which object."""

    def __init__(self, root):
        self.root, self.asked = Path(root), []
        store = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def log_message(self, *_):
                pass

            def answer(self, status, body=b"", headers=()):
                self.send_response(status)
                for name, value in headers:
                    self.send_header(name, value)
                if "Content-Length" not in dict(headers):
                    self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                if self.command != "HEAD":
                    self.wfile.write(body)

            def do_HEAD(self):
                self.do_GET()

            def do_GET(self):
                parts = urlsplit(self.path)
                path, asked = unquote(parts.path).strip("/"), parse_qs(parts.query)
                if "list-type" in asked:
                    body = store.listed(path, asked.get("prefix", [""])[0], "delimiter" in asked)
                    return self.answer(200, body, [("Content-Type", "application/xml")])
                file = store.root / path
                if not file.is_file():
                    return self.answer(404 if not file.is_dir() or "/" in path else 200)
                content = file.read_bytes()
                told = [
                    ("Last-Modified", formatdate(file.stat().st_mtime, usegmt=True)),
                    ("ETag", f'"{file.stat().st_mtime_ns:x}"'), ("Accept-Ranges", "bytes"),
                ]  # fmt: skip
                wanted = re.match(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
                if self.command == "HEAD":
                    return self.answer(200, b"", [*told, ("Content-Length", str(len(content)))])
                store.asked.append(path)
                if not wanted:
                    return self.answer(200, content, told)
                first, last = int(wanted[1]), int(wanted[2] or len(content) - 1)
                part = content[first : last + 1]
                told.append(("Content-Range", f"bytes {first}-{last}/{len(content)}"))
                return self.answer(206, part, told)

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        Thread(target=self.server.serve_forever, daemon=True).start()

    def listed(self, bucket, prefix, shallow):
        """The answer to a list of objects, those of folders below left out where it is shallow."""
        entries, folders = [], set()
        for file in sorted((self.root / bucket).rglob("*")):
            key = file.relative_to(self.root / bucket).as_posix()
            if not file.is_file() or not key.startswith(prefix):
                continue
            rest = key.removeprefix(prefix)
            if shallow and "/" in rest:
                folders.add(prefix + rest.split("/")[0] + "/")
                continue
            moment = _iso(file.stat().st_mtime)
            entries.append(
                f"<Contents><Key>{escape(key)}</Key><LastModified>{moment}</LastModified>"
                f"<ETag>&quot;x&quot;</ETag><Size>{file.stat().st_size}</Size>"
                "<StorageClass>STANDARD</StorageClass></Contents>"
            )
        common = "".join(
            f"<CommonPrefixes><Prefix>{escape(f)}</Prefix></CommonPrefixes>" for f in folders
        )
        return (
            '<?xml version="1.0" encoding="UTF-8"?>'
            '<ListBucketResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/">'
            f"<Name>{bucket}</Name><Prefix>{escape(prefix)}</Prefix>"
            f"<KeyCount>{len(entries) + len(folders)}</KeyCount><MaxKeys>1000</MaxKeys>"
            f"<IsTruncated>false</IsTruncated>{''.join(entries)}{common}</ListBucketResult>"
        ).encode()

    def url(self, place):
        """How a folder of a bucket is written."""
        host = f"127.0.0.1:{self.server.server_address[1]}"
        return f"s3://{place}?endpoint_override={host}&scheme=http&region=here&allow_bucket_creation=false"

    def close(self):
        self.server.shutdown()
        self.server.server_close()


def _iso(moment):
    return datetime.fromtimestamp(int(moment), UTC).strftime("%Y-%m-%dT%H:%M:%S.000Z")
