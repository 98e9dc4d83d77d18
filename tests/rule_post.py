"""A rule post: a program that takes its rules as one text. usage: rule_post.py FOLDER ADDRESS"""

from __future__ import annotations

import base64
import json
import re
import sys
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

FOLDER, ADDRESS = Path(sys.argv[1]), sys.argv[2]
RULES, OWNER = FOLDER / "rules", FOLDER / "owner"


class Post(BaseHTTPRequestHandler):
    def answer(self, status: int, text: str, kind: str = "text/plain", **headers: str) -> None:
        self.send_response(status)
        for name, value in {"Content-Type": kind, "Content-Length": str(len(text.encode())), **headers}.items():
            self.send_header(name.replace("_", "-"), value)
        self.end_headers()
        self.wfile.write(text.encode())

    def let_in(self) -> bool:
        wanted = base64.b64encode(OWNER.read_text().encode()).decode()
        if self.headers.get("Authorization") == f"Basic {wanted}":
            return True
        self.answer(401, "who?", WWW_Authenticate='Basic realm="post"')
        return False

    def do_GET(self) -> None:
        if not self.let_in():
            return
        if self.path == "/about":
            self.answer(200, json.dumps({"post": {"number": "RP-77", "rules": self.count()}}), "application/json")
        else:
            self.answer(200, "; rules of the post\n" + (RULES.read_text() if RULES.exists() else ""))

    def count(self) -> int:
        return len(RULES.read_text().splitlines()) if RULES.exists() else 0

    def do_PUT(self) -> None:
        if not self.let_in():
            return
        said = self.rfile.read(int(self.headers["Content-Length"])).decode()
        if self.path == "/owner":
            OWNER.write_text(json.loads(said)["owner"])
            self.answer(200, json.dumps({"done": True}), "application/json")
            return
        for number, row in enumerate(said.splitlines(), 1):
            if not re.fullmatch(r";.*|open \d+ (tcp|udp) to [\d.]+ \d+", row) or " 25 " in row:
                told = json.dumps({"error": f"row {number} is wrong: {row}", "row": number})
                self.answer(422, told, "application/json")
                return
        RULES.write_text("".join(f"{row}   \n" for row in said.splitlines() if not row.startswith(";")))
        self.answer(200, json.dumps({"done": True}), "application/json")

    def log_message(self, *args: object) -> None:
        pass


HTTPServer((ADDRESS, 80), Post).serve_forever()
