"""Versions of items as entity tags (RFC 9110 8.8.3), and edits that say which version they are based on (RFC 9110 13.1.1)."""

from __future__ import annotations

import re
from typing import Annotated

from fastapi import Depends, Header, Response

from ...store.edits import Versions
from .problems import Refusal

_TAG = re.compile(r'\s*(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*')
_VERSION = re.compile(r'\s*"(\d{1,18})"\s*')
_ABOUT = "The ETag of the item as it was read, such as \"3\"; '*' for whatever it is now."


def tagged(response: Response, version: int) -> None:
    """Tell an item's version."""
    response.headers["ETag"], response.headers["Cache-Control"] = f'"{version}"', "private, no-cache"


def versions(text: str) -> Versions:
    """The versions that an If-Match names; None for any. Tags that are none of ours match nothing. Raises Refusal."""
    if text.strip() == "*":
        return None
    parts = text.split(",")
    if not all(_TAG.fullmatch(part) for part in parts):
        raise Refusal(422, "bad_match", f"{text[:60]!r} is no If-Match; {_ABOUT}", "If-Match")
    return frozenset(int(match[1]) for part in parts if (match := _VERSION.fullmatch(part)))


async def _wanted(if_match: Annotated[str | None, Header(max_length=400, description=_ABOUT)] = None) -> Versions:
    if if_match is None:
        raise Refusal(428, "no_version", f"say in If-Match which version this edit is based on: {_ABOUT}", "If-Match")
    return versions(if_match)


async def _given(if_match: Annotated[str | None, Header(max_length=400, description=_ABOUT)] = None) -> Versions:
    return None if if_match is None else versions(if_match)


IfMatch = Annotated[Versions, Depends(_wanted)]
MaybeMatch = Annotated[Versions, Depends(_given)]
