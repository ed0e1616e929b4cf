"""The reference of the API as one page: made from its description alone, without scripts and without anything from outside."""

from __future__ import annotations

import json
from collections.abc import Iterator
from html import escape
from typing import Any

_TITLES = {
    "system": "The service", "network": "This machine, ranges and subnets", "scans": "Scans", "devices": "Devices, changes",
    "find": "Find and explain", "vendors": "Vendors", "plan": "The plan", "dhcp": "DHCP servers",
    "sheets": "Spreadsheets, names, cards",
    "findings": "Findings", "history": "History", "watching": "Watching, listening, notices",
}  # fmt: skip
_WORDS = {"string": "text", "integer": "whole number", "number": "number", "boolean": "true or false", "null": "null"}
_STYLE = """
:root{--paper:#f6f2e9;--leaf:#fdfbf6;--rule:#d8d0bf;--text:#23211c;--soft:#625c50;--ink:#274060;color-scheme:light}
@media (prefers-color-scheme:dark){:root{--paper:#191817;--leaf:#211f1d;--rule:#3b3733;--text:#ece7dc;--soft:#aaa294;--ink:#a4c2e6;
color-scheme:dark}}
body{margin:0;background:var(--paper);color:var(--text);font:16px/1.5 "Atkinson Hyperlegible Next",sans-serif}
main{max-width:62rem;padding:1rem 2rem 6rem;margin-left:19rem}
nav{position:fixed;inset:0 auto 0 0;width:17rem;overflow:auto;padding:1.2rem 1rem;
border-right:1px solid var(--rule);font-size:.9rem}
nav ul{list-style:none;margin:0 0 .8rem;padding:0}nav b{display:block;margin-top:.4rem}nav .verb{font-size:.75em}
nav a{display:block;padding:.05rem 0;text-decoration:none;overflow-wrap:anywhere}nav a:hover,nav a:focus{text-decoration:underline}
a{color:var(--ink)}h1{font-size:1.8rem}h2{margin-top:3rem;border-bottom:2px solid var(--rule);padding-bottom:.2rem}
section{background:var(--leaf);border:1px solid var(--rule);border-radius:4px;padding:.2rem 1rem .8rem;margin:1rem 0}
h3{margin:.6rem 0 .2rem;font-size:1.05rem;overflow-wrap:anywhere}h4{margin:.8rem 0 .2rem;font-size:.9rem;color:var(--soft)}
code,pre{font-family:"Atkinson Hyperlegible Mono",monospace;font-size:.88em}
pre{overflow:auto;max-height:22rem;margin:.2rem 0;padding:.6rem;
border:1px solid var(--rule);border-radius:3px}.verb{display:inline-block;min-width:4.2rem;font-weight:600;color:var(--ink)}
table{border-collapse:collapse;width:100%;font-size:.92rem}th{text-align:left;font-weight:400;color:var(--soft)}
td,th{vertical-align:top;padding:.15rem .8rem .15rem 0;border-top:1px solid var(--rule)}tr:first-child th{border:0}
td:first-child{white-space:nowrap}.soft{color:var(--soft)}summary{cursor:pointer;color:var(--ink)}
@media (max-width:50rem){nav{position:static;width:auto;border:0}main{margin:0;padding:1rem}td:first-child{white-space:normal}}
@media print{nav{display:none}main{margin:0}section{break-inside:avoid}}
"""


def page(document: dict[str, Any]) -> str:
    """The whole page of a description (OpenAPI 3.1)."""
    groups: dict[str, list[tuple[str, str, dict[str, Any]]]] = {name: [] for name in _TITLES}
    for path, operations in document["paths"].items():
        for method, operation in operations.items():
            groups.setdefault(operation["tags"][0], []).append((method.upper(), path, operation))
    models = document["components"]["schemas"]
    title = f"{document['info']['title']} {document['info']['version']}: the API"
    body = "".join(_group(name, operations, models) for name, operations in groups.items() if operations)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{escape(title)}</title><style>{_STYLE}</style></head><body><nav aria-label=\"Contents\">{_contents(groups)}</nav>"
        f"<main><h1>{escape(title)}</h1><p>{_said(document['info']['description'])}</p>{_signing_in(document)}{body}"
        f'<h2 id="models">Models</h2>{"".join(_model(name, model) for name, model in sorted(models.items()))}</main></body></html>'
    )  # fmt: skip


def _contents(groups: dict[str, list[tuple[str, str, dict[str, Any]]]]) -> str:
    parts = []
    for name, operations in groups.items():
        if operations:
            links = "".join(
                f'<li><a href="#{_anchor(one)}" title="{escape(one["summary"])}"><span class="verb">{method}</span>'
                f"{escape(path.removeprefix('/api/v1'))}</a></li>"
                for method, path, one in operations
            )
            parts.append(f'<b><a href="#{escape(name)}">{escape(_TITLES.get(name, name))}</a></b><ul>{links}</ul>')
    return "".join(parts) + '<b><a href="#models">Models</a></b>'


def _signing_in(document: dict[str, Any]) -> str:
    ways = document["components"]["securitySchemes"].values()
    told = "".join(f"<li>{_said(one['description'])}</li>" for one in ways)
    example = 'curl -H "Authorization: Bearer $TOKEN" http://127.0.0.1:7420/api/v1/devices/printer-1'
    return f"<h2>Signing in</h2><ul>{told}</ul><pre>{escape(example)}</pre>"


def _group(name: str, operations: list[tuple[str, str, dict[str, Any]]], models: dict[str, Any]) -> str:
    told = "".join(_operation(method, path, operation, models) for method, path, operation in operations)
    return f'<h2 id="{escape(name)}">{escape(_TITLES.get(name, name))}</h2>{told}'


def _operation(method: str, path: str, operation: dict[str, Any], models: dict[str, Any]) -> str:
    parts = [
        f'<h3><span class="verb">{method}</span><code>{escape(path)}</code></h3>',
        f"<p>{escape(operation['summary'])}.",
    ]
    if operation["description"] and operation["description"].rstrip(".") != operation["summary"]:
        parts.append(f" {_said(operation['description'])}")
    parts.append("</p>")
    if operation.get("parameters"):
        rows = "".join(
            f"<tr><td><code>{escape(one['name'])}</code></td><td>{_type(one['schema'])}"
            f"{'' if one.get('required') else ' <span class=soft>may be left out</span>'}</td>"
            f"<td>{_said(one.get('description', ''))}{_example(one.get('example'))}</td></tr>"
            for one in operation["parameters"]
        )
        parts.append(f"<h4>Parameters</h4><table><tr><th>name</th><th>type</th><th>meaning</th></tr>{rows}</table>")
    for kind, content in operation.get("requestBody", {}).get("content", {}).items():
        parts.append(f"<h4>Body, {escape(kind)}: {_type(content['schema'])}</h4>{_sample(content['schema'], models)}")
    for status, answer in operation["responses"].items():
        for kind, content in answer.get("content", {}).items() if status[0] == "2" else ():
            told = f"<h4>Answer {status}, {escape(kind)}: {_type(content.get('schema', {}))}</h4>"
            parts.append(told + _sample(content.get("schema", {}), models))
    others = ", ".join(status for status in operation["responses"] if status[0] != "2")
    empty = "<p>Answers 204 without a body.</p>" if "204" in operation["responses"] else ""
    parts.append(f'{empty}<p class="soft">Also answers {others}.</p>')
    return f'<section id="{_anchor(operation)}">{"".join(parts)}</section>'


def _model(name: str, model: dict[str, Any]) -> str:
    needed = model.get("required", [])
    rows = "".join(
        f"<tr><td><code>{escape(field)}</code></td><td>{_type(one)}"
        f"{'' if field in needed else ' <span class=soft>may be left out</span>'}</td>"
        f"<td>{_said(one.get('description', ''))}{_example(*one.get('examples', ()))}</td></tr>"
        for field, one in model.get("properties", {}).items()
    )
    return (
        f'<section id="model-{escape(name)}"><h3>{escape(name)}</h3><p>{_said(model.get("description", ""))}</p>'
        f"<table><tr><th>field</th><th>type</th><th>meaning</th></tr>{rows}</table></section>"
    )


def _type(schema: dict[str, Any]) -> str:
    """A type in words."""
    if "$ref" in schema:
        name = schema["$ref"].rsplit("/", 1)[-1]
        return f'<a href="#model-{escape(name)}">{escape(name)}</a>'
    if "anyOf" in schema:
        return " or ".join(dict.fromkeys(_type(one) for one in schema["anyOf"]))
    if "enum" in schema:
        return "one of " + ", ".join(f"<code>{escape(str(one))}</code>" for one in schema["enum"])
    if "const" in schema:
        return f"<code>{escape(json.dumps(schema['const']))}</code>"
    if schema.get("type") == "array":
        return f"list of {_type(schema.get('items', {}))}"
    if schema.get("format") == "date-time":
        return "time"
    if schema.get("format") == "binary":
        return "a file's octets"
    if schema.get("type") == "object":
        return (
            f"object of {_type(schema['additionalProperties'])}"
            if isinstance(schema.get("additionalProperties"), dict)
            else "object"
        )
    bounds = [f"{word} {schema[key]}" for key, word in _BOUNDS.items() if key in schema]
    return _WORDS.get(schema.get("type", ""), "anything") + (f" ({', '.join(bounds)})" if bounds else "")


_BOUNDS = {
    "minimum": "from",
    "exclusiveMinimum": "above",
    "maximum": "to",
    "minLength": "at least",
    "maxLength": "at most",
}


def _sample(schema: dict[str, Any], models: dict[str, Any]) -> str:
    """A value of a type, made of the examples of its fields."""
    if schema.get("format") == "binary" or not schema:
        return ""
    text = json.dumps(_value(schema, models, ()), ensure_ascii=False, indent=2)
    return f"<details><summary>an example</summary><pre>{escape(text)}</pre></details>"


def _value(schema: dict[str, Any], models: dict[str, Any], within: tuple[str, ...]) -> Any:
    if "examples" in schema:
        return schema["examples"][0]
    if "$ref" in schema:
        name = schema["$ref"].rsplit("/", 1)[-1]
        if name in within:
            return None
        fields = models[name].get("properties", {}).items()
        return {field: _value(one, models, (*within, name)) for field, one in fields}
    for one in schema.get("anyOf", ()):
        return _value(one, models, within)
    if "enum" in schema:
        return schema["enum"][0]
    if schema.get("type") == "array":
        return [_value(schema.get("items", {}), models, within)]
    return {"boolean": False, "integer": 0, "number": 0.0, "object": {}}.get(
        schema.get("type", ""), schema.get("const", "")
    )


def _anchor(operation: dict[str, Any]) -> str:
    return escape(operation["operationId"])


def _example(*values: Any) -> str:
    told = [json.dumps(value, ensure_ascii=False) for value in values if value is not None and value != ""]
    return f' <span class="soft">Such as <code>{escape(told[0])}</code>.</span>' if told else ""


def _said(text: str) -> str:
    """A text with its code as such."""
    return "".join(_pieces(text))


def _pieces(text: str) -> Iterator[str]:
    for number, part in enumerate(text.split("`")):
        yield f"<code>{escape(part)}</code>" if number % 2 else escape(part)
