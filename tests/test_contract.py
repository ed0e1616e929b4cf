"""The API's promises: what a path takes and no more, what is refused how, and a description that is true of every answer tried."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any

import httpx

from tests.support.service import Service, demo

COMMITTED = Path(__file__).parents[1] / "console" / "openapi.json"
MADE = (
    ("sites", {"name": "Annex"}), ("plan/subnets", {"range": "10.61.0.0/24", "name": "Barn"}),
    ("bands", {"subnet": "Barn", "kind": "static", "range": "20-40"}), ("assignments", {"address": "10.61.0.20", "name": "churn"}),
    ("uses", {"user": "dairy", "address": "10.61.0.20", "purpose": "butter"}), ("devices", {"name": "Spare churn"}),
    ("notices", {"name": "log", "kind": "syslog", "to": "127.0.0.1:5514", "least": "urgent"}),
    ("scans", {"targets": ["10.44.10.0/28"], "ports": [], "names": False}), ("dhcp/servers", {"name": "dairy", "by_hand": True}),
)  # fmt: skip


class Contract(unittest.TestCase):
    service: Service
    http: httpx.Client
    document: dict[str, Any]

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        token = json.loads((cls.service.home / "service.json").read_text())["token"]
        cls.http = cls.enterClassContext(
            httpx.Client(base_url=cls.service.url, headers={"Authorization": f"Bearer {token}"}, timeout=60)
        )
        cls.document = cls.http.get("/api/v1/openapi.json").json()

    def problem(self, answer: httpx.Response, status: int, code: str) -> dict[str, Any]:
        told: dict[str, Any] = answer.json()
        kind = answer.headers["content-type"]
        self.assertEqual(
            (answer.status_code, kind, told["code"]), (status, "application/problem+json", code), answer.text
        )
        return told

    def test_the_committed_description_is_that_of_the_service(self) -> None:
        self.assertEqual(
            self.document, json.loads(COMMITTED.read_text()), "run: python -m tools.openapi > console/openapi.json"
        )

    def test_what_is_made_says_where_it_is(self) -> None:
        for path, body in MADE:
            with self.subTest(path):
                made = self.http.post(f"/api/v1/{path}", json=body)
                self.assertEqual(made.status_code, 201, made.text)
                self.assertTrue(made.headers["location"].startswith(f"/api/v1/{path}/"))
                there = self.http.get(made.headers["location"])
                self.assertEqual(there.status_code, 200, there.text)
                self.assertEqual(there.json().keys(), made.json().keys())

    def test_parameters_that_a_path_does_not_know_are_refused(self) -> None:
        told = self.problem(self.http.get("/api/v1/devices?rolle=printer"), 422, "unknown_parameter")
        self.assertEqual((told["field"], "is it 'role'?" in told["detail"]), ("rolle", True))
        self.problem(self.http.delete("/api/v1/bands/printers?force=true"), 422, "unknown_parameter")
        self.problem(self.http.get("/api/v1/bands/printers?within=Office&x=1"), 422, "unknown_parameter")
        self.assertEqual(self.http.get("/api/v1/bands/printers?within=Office").status_code, 200)
        self.problem(self.http.post("/api/v1/session/ticket?x=1"), 422, "unknown_parameter")
        tried = 0
        for path, operations in self.document["paths"].items():
            if path.startswith("/api/v1/") and "{" not in path and "get" in operations:
                self.problem(self.http.get(path, params={"no-such-thing": "1"}), 422, "unknown_parameter")
                tried += 1
        self.assertGreater(tried, 15)

    def test_nobody_comes_in_and_is_told_how_one_does(self) -> None:
        tried = 0
        for path, operations in self.document["paths"].items():
            for method, described in operations.items():
                if described.get("security") == []:
                    continue
                answer = httpx.request(
                    method, self.service.url + path.replace("{which}", "x").replace("{identity}", "1"), json={}
                )
                told = self.problem(answer, 401, "not_signed_in")
                self.assertTrue(told["detail"])
                self.assertIn("Bearer", answer.headers["www-authenticate"])
                self.assertIn("401", described["responses"], (method, path))
                tried += 1
        self.assertGreater(tried, 100)

    def test_what_is_no_path_and_what_a_path_does_not_take_is_told(self) -> None:
        self.problem(self.http.get("/api/v1/devicse"), 404, "no_such_path")
        self.assertIn(
            "begins with /api/v1/", self.problem(self.http.get("/api/devices"), 404, "no_such_path")["detail"]
        )
        self.problem(self.http.post("/api/v1/nothing/at/all", json={}), 404, "no_such_path")
        for method, path, allowed in (
            ("DELETE", "/api/v1/devices", "GET, POST"), ("POST", "/api/v1/roles", "GET, PUT"),
            ("PUT", "/api/v1/plan/subnets/Office", "DELETE, GET, PATCH"),
        ):  # fmt: skip
            answer = self.http.request(method, path)
            self.problem(answer, 405, "not_allowed")
            self.assertEqual(answer.headers["allow"], allowed)

    def test_problems_are_described_as_they_are(self) -> None:
        fields = self.document["components"]["schemas"]["Problem"]["properties"].keys()
        answers = [
            self.http.get("/api/v1/devices?limit=x"), self.http.get("/api/v1/devices?cursor=zzz"), self.http.get("/api/v1/devices/nobody"),
            self.http.get("/api/v1/devices/desk-"), self.http.patch("/api/v1/devices/10.44.10.30", json={"place": "x"}),
            self.http.post("/api/v1/devices", json={"nmae": "x"}), self.http.post("/api/v1/devices", content=b"{"),
            self.http.post("/api/v1/assignments", json={"address": "10.44.10.1", "name": "x"}), self.http.get("/api/v1/measure?range=10.44.10.999"),
        ]  # fmt: skip
        for answer in answers:
            with self.subTest(str(answer.request.url)):
                self.assertIn(answer.status_code, (404, 409, 422), answer.text)
                self.assertEqual(answer.headers["content-type"], "application/problem+json")
                self.assertLessEqual(answer.json().keys(), fields)
        for path, operations in self.document["paths"].items():
            for method, described in operations.items():
                content = described["responses"]["default"]["content"]
                self.assertEqual(list(content), ["application/problem+json"], (method, path))

    def test_every_answer_names_the_version_of_the_service(self) -> None:
        for path in ("/healthz", "/api/v1/here", "/api/v1/nothing"):
            self.assertEqual(self.http.get(path).headers["roster-version"], self.document["info"]["version"])


if __name__ == "__main__":
    unittest.main()
