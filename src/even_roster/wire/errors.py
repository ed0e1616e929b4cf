"""The one error every codec raises on bytes that are not what they claim to be, and the guard that lets no other out."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")


class WireError(ValueError):
    """Bytes are truncated, contradict themselves, or belong to another protocol; the message says which."""


def reader(read: Callable[P, T]) -> Callable[P, T]:
    """For whatever reads bytes of strangers: nothing but WireError leaves it, whatever they contain. An error that the reader did
    not foresee is a defect of ours, and its name is in the message; the frame is lost, and nothing else."""

    @functools.wraps(read)
    def guarded(*args: P.args, **more: P.kwargs) -> T:
        try:
            return read(*args, **more)
        except WireError:
            raise
        except Exception as error:
            raise WireError(
                f"unforeseen in {read.__module__.rpartition('.')[2]}: {type(error).__name__}: {error}"
            ) from error

    return guarded
