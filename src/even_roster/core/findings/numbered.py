"""Numbers for texts, so that all keys of rules are numbers; the text is what lasts over a restart."""

from __future__ import annotations


class Numbered:
    """Texts and their numbers, in the order in which they came."""

    def __init__(self) -> None:
        self._numbers: dict[str, int] = {}
        self._texts: list[str] = []

    def number(self, text: str) -> int:
        """The number of a text."""
        key = self._numbers.get(text)
        if key is None:
            key = self._numbers[text] = len(self._texts)
            self._texts.append(text)
        return key

    def text(self, number: int) -> str:
        """The text behind a number."""
        return self._texts[number]
