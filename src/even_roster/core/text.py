"""Text that came from the network or a person, made safe to show and to compare.

Names on the wire are hostile: control characters, escape sequences, bidirectional overrides, kilobytes of noise.
`clean` is the only way such text enters the roster.
"""

from __future__ import annotations

import unicodedata

MOST = 253
_UNWANTED = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}


def clean(text: str, most: int = MOST) -> str:
    """One line of at most `most` characters: no control, format or unassigned characters, blanks folded, trimmed.

    Markup is left as it is: whoever shows the text escapes it for the medium.
    """
    if text.isascii() and text.isprintable():
        return " ".join(text[: most * 8].split())[:most].rstrip()
    kept = "".join(" " if char in "\t\r\n\x0b\x0c" else char for char in text[: most * 8] if _wanted(char))
    return " ".join(kept.split())[:most].rstrip()


def clean_note(text: str, most: int = 10_000) -> str:
    """As `clean`, for texts of several lines: line ends are kept."""
    return "\n".join(clean(line, most) for line in text[: most * 2].splitlines())[:most].strip()


def _wanted(char: str) -> bool:
    return char in "\t\r\n\x0b\x0c" or unicodedata.category(char) not in _UNWANTED


def host_key(name: str) -> str:
    """What two spellings of one hostname have in common: the first label, case folded."""
    return name.split(".", 1)[0].casefold()
