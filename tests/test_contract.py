"""The API's promises: what a path takes and no more, what is refused how, and a description that is true of every answer tried."""

from __future__ import annotations

import json
import re
import unittest
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import jsonschema_rs
from tools import console_answers

from tests.support.patience import PATIENCE
from tests.support.service import Service, demo

BESIDE = "anything"

COMMITTED = Path(__file__).parents[1] / "console" / "openapi.json"
MADE = (
    ("sites", {"name": "Annex"}), ("plan/subnets", {"range": "10.61.0.0/24", "name": "Barn"}),
    ("bands", {"subnet": "Barn", "kind": "static", "range": "20-40"}), ("assignments", {"address": "10.61.0.20", "name": "churn"}),
    ("uses", {"user": "dairy", "address": "10.61.0.20", "purpose": "butter"}), ("devices", {"name": "Spare churn"}),
    ("calls", {"name": "Churns", "text": "churn\n10.61.0.99, spare\n"}),
    ("notices", {"name": "log", "kind": "syslog", "to": "127.0.0.1:5514", "least": "urgent"}),
    ("scans", {"targets": ["10.44.10.0/28"], "ports": [], "with_names": False}), ("dhcp/servers", {"name": "dairy", "edited_by_hand": True}),
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

    def test_the_answers_that_the_consoles_tests_stand_on_are_as_described(self) -> None:
        recorded = json.loads(console_answers.FILE.read_text())
        self.assertGreater(len(recorded), 50)
        for path, answer in recorded.items():
            with self.subTest(path):
                operation = self.document["paths"][self.template(path)]["get"]
                described = operation["responses"]["200"]["content"]["application/json"]["schema"]
                check = jsonschema_rs.validator_for({**described, "components": self.document["components"]})
                self.assertEqual(
                    [str(error) for error in check.iter_errors(answer)], [], "run: python -m tools.console_answers"
                )

    def template(self, path: str) -> str:
        """The described path that a path is one of; a value in it may hold a slash, as a range does."""
        for value in ("[^/]+", ".+"):
            for one in sorted(self.document["paths"], key=lambda one: str(one).count("{")):
                if re.fullmatch(re.sub(r"\\{\w+\\}", value, re.escape(one)), path):
                    return str(one)
        self.fail(f"{path} is not described")

    def test_nobody_comes_in_and_is_told_how_one_does(self) -> None:
        tried = 0
        anybody = self.enterContext(httpx.Client(base_url=self.service.url, timeout=PATIENCE))
        for path, operations in self.document["paths"].items():
            for method, described in operations.items():
                if described.get("security") == []:
                    continue
                answer = anybody.request(method, path.replace("{which}", "x").replace("{identity}", "1"), json={})
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
            self.http.get("/api/v1/devices/desk-"), self.http.patch("/api/v1/devices/10.44.10.30", json={"place": "x"}, headers={"If-Match": "*"}),
            self.http.post("/api/v1/devices", json={"nmae": "x"}), self.http.post("/api/v1/devices", content=b"{"),
            self.http.post("/api/v1/assignments", json={"address": "10.44.10.1", "name": "x"}), self.http.get("/api/v1/measure?range=10.44.10.999"),
        ]  # fmt: skip
        for answer in answers:
            with self.subTest(str(answer.request.url)):
                self.assertIn(answer.status_code, (404, 409, 422), answer.text)
                self.assertEqual(answer.headers["content-type"], "application/problem+json")
                self.assertLessEqual(answer.json().keys(), fields)
                path = next(
                    one for one in self.document["paths"] if _like(one).fullmatch(answer.request.url.path)
                )  # fmt: skip
                described = self.document["paths"][path][answer.request.method.lower()]["responses"]
                self.assertIn(str(answer.status_code), described, path)
        for status, described in self.document["components"]["responses"].items():
            if status != "304":
                self.assertEqual(list(described["content"]), ["application/problem+json"], status)

    def test_every_field_and_parameter_is_described_and_has_an_example(self) -> None:
        fields = 0
        for name, model in self.document["components"]["schemas"].items():
            for field, one in model.get("properties", {}).items():
                self.assertGreater(len(one.get("description", "")), 5, f"{name}.{field}")
                if _is_plain(one):
                    self.assertTrue(one.get("examples"), f"{name}.{field} has no example")
                fields += 1
        self.assertGreater(fields, 900)
        names = []
        for path, operations in self.document["paths"].items():
            for method, operation in operations.items():
                names.append(operation["operationId"])
                self.assertTrue(operation["summary"] and operation["description"], (method, path))
                for one in operation.get("parameters", []):
                    self.assertTrue(one.get("description"), (method, path, one["name"]))
        self.assertEqual(len(names), len(set(names)))

    def test_everything_that_goes_in_has_a_bound(self) -> None:
        models = self.document["components"]["schemas"]

        def unbounded(schema: dict[str, Any], where: str, met: tuple[str, ...] = ()) -> list[str]:
            if "$ref" in schema:
                name = schema["$ref"].rsplit("/", 1)[-1]
                fields = models[name].get("properties", {}).items() if name not in met else ()
                return [one for field, part in fields for one in unbounded(part, f"{name}.{field}", (*met, name))]
            if "anyOf" in schema:
                return [one for part in schema["anyOf"] for one in unbounded(part, where, met)]
            known, bound = (
                set(schema),
                {"string": "maxLength", "integer": "maximum", "number": "maximum", "array": "maxItems"},
            )
            wanted = bound.get(schema.get("type", ""))
            within = unbounded(schema["items"], where, met) if schema.get("type") == "array" else []
            free = wanted is not None and not known & {wanted, "enum", "const", "format"}
            return [where, *within] if free else within

        wrong = []
        for path, operations in self.document["paths"].items():
            for method, operation in operations.items():
                for one in operation.get("parameters", []):
                    wrong += unbounded(one["schema"], f"{method} {path} {one['name']}")
                for content in operation.get("requestBody", {}).get("content", {}).values():
                    wrong += unbounded(content["schema"], f"{method} {path}")
        self.assertEqual(sorted(set(wrong)), [])

    def test_one_word_is_one_thing_everywhere(self) -> None:
        wrong = []
        for name, model in self.document["components"]["schemas"].items():
            for field, one in model.get("properties", {}).items():
                kinds = _kinds(one)
                if field == "mac" and kinds != {"string"}:
                    wrong.append((name, field, kinds))
                if (
                    field in ("subnet", "device", "site", "band", "server")
                    and "integer" in kinds
                    and "string" not in kinds
                ):
                    wrong.append((name, field, kinds))
                if field in ("first", "last") and "date-time" in str(one):
                    wrong.append((name, field, kinds))
                if (
                    field.endswith(("_name", "_count"))
                    and field not in ("full_name", "seen_name")
                    and kinds != {"integer"}
                ):
                    wrong.append((name, field, kinds))
        self.assertEqual(wrong, [])

    def test_every_list_has_the_same_envelope_and_goes_on_where_it_ended(self) -> None:
        tried = 0
        for path, operations in self.document["paths"].items():
            if "get" not in operations or "{" in path:
                continue
            known = {one["name"] for one in operations["get"].get("parameters", [])}
            wanted = [one["name"] for one in operations["get"].get("parameters", []) if one.get("required")]
            if (
                not {"cursor", "limit"} <= known or wanted
            ):  # what is asked between two ends is tried where there are such
                continue
            with self.subTest(path):
                whole = self.http.get(path, params={"limit": 2000}).json()
                self.assertIsNone(whole["next"])
                self.assertIn(whole["total"], (None, len(whole["items"])))
                some: list[Any] = []
                cursor: dict[str, str] = {}
                while True:
                    answer = self.http.get(path, params={"limit": max(1, len(whole["items"]) // 3), **cursor}).json()
                    some += answer["items"]
                    if answer["next"] is None:
                        break
                    cursor = {"cursor": answer["next"]}
                self.assertEqual(_still(some), _still(whole["items"]))
                self.problem(self.http.get(path, params={"cursor": "WyJub25zZW5zZSJd"}), 422, "bad_cursor")
                tried += 1
        self.assertGreaterEqual(tried, 23)

    def test_an_edit_names_the_version_it_is_based_on(self) -> None:
        route = {"name": "desk", "kind": "webhook", "to": "http://127.0.0.1:9/hook"}
        made = self.http.post("/api/v1/notices", json=route).headers["location"].removeprefix("/api/v1/")
        edits: tuple[tuple[str, dict[str, object]], ...] = (
            ("devices/printer-1", {"place": "Foyer"}), ("plan/subnets/Stage", {"notes": "behind the curtain"}), ("sites/1", {"notes": "the house"}),
            ("bands/printers?within=Office", {"notes": "by the stairs"}), ("assignments/10.44.10.30", {"notes": "by the door"}),
            ("dhcp/servers/ledger", {"name": "ledger"}), ("watches/1", {"every_minutes": 77}), ("keeping", {"stay_days": 401}),
            (made, {"least": "urgent"}),
        )  # fmt: skip
        for path, fields in edits:
            with self.subTest(path):
                method = "PUT" if path in ("watches/1", "keeping") else "PATCH"
                edit = partial(self.http.request, method, f"/api/v1/{path}", json=fields)
                url = f"/api/v1/{path}"
                read = self.http.get(url)
                tag = read.headers["etag"]
                self.assertRegex(tag, r'^"\d+"$')
                again = self.http.get(url, headers={"If-None-Match": tag})
                self.assertEqual(again.status_code, 200, "an item is never answered with 304")
                self.problem(edit(), 428, "no_version")
                self.problem(edit(headers={"If-Match": "3"}), 422, "bad_match")
                done = edit(headers={"If-Match": f'"999999", {tag}'})
                self.assertEqual(done.status_code, 200, done.text)
                self.assertEqual(done.headers["etag"], self.http.get(url).headers["etag"])
                stale = '"0"' if done.headers["etag"] == tag else tag
                told = self.problem(edit(headers={"If-Match": stale}), 412, "stale")
                self.assertEqual(told["given"], {name: str(value) for name, value in fields.items()})
                self.assertEqual(f'"{told["version"]}"', done.headers["etag"])
                self.assertEqual(edit(headers={"If-Match": "*"}).status_code, 200)
        gone = self.http.delete("/api/v1/assignments/10.44.10.30", headers={"If-Match": '"0"'})
        self.problem(gone, 412, "stale")

    def test_the_reference_is_a_page_of_the_service_itself(self) -> None:
        answer = httpx.get(f"{self.service.url}/api/docs")
        self.assertEqual((answer.status_code, answer.headers["content-type"]), (200, "text/html; charset=utf-8"))
        for path, operations in self.document["paths"].items():
            self.assertIn(path, answer.text)
            for operation in operations.values():
                self.assertIn(f'id="{operation["operationId"]}"', answer.text)
        self.assertNotRegex(answer.text, r"(src|href)=.?https?:|<script|@import")
        anchors = set(re.findall(r'href="#([^"]+)"', answer.text))
        self.assertEqual(anchors - set(re.findall(r'id="([^"]+)"', answer.text)), set(), "links that lead nowhere")

    def test_every_answer_names_the_version_of_the_service(self) -> None:
        for path in ("/healthz", "/api/v1/here", "/api/v1/nothing"):
            self.assertEqual(self.http.get(path).headers["roster-version"], self.document["info"]["version"])


def _like(path: str) -> re.Pattern[str]:
    return re.compile(re.sub(r"\\?\{\w+\\?\}", "[^/]+", re.escape(path)))


def _kinds(schema: dict[str, Any]) -> set[str]:
    """What a field may be, null apart."""
    found = {one for part in schema.get("anyOf", [schema]) for one in [part.get("type") or part.get("$ref", "any")]}
    return found - {"null"}


def _is_plain(schema: dict[str, Any]) -> bool:
    """Whether a field is a text or number, or a list of such: those want an example."""
    parts = schema.get("anyOf", [schema])
    plain = [one.get("items", {}) if one.get("type") == "array" else one for one in parts]
    return any(one.get("type") in ("string", "integer", "number") and "enum" not in one for one in plain)


def _still(items: list[Any]) -> list[Any]:
    """Items without what changes while one looks."""
    moving = ("frames", "lines", "per_second", "next_scan", "last_seen", "neighbours", "seen")
    return [{name: value for name, value in one.items() if name not in moving} for one in items]


if __name__ == "__main__":
    unittest.main()
