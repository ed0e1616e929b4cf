"""What all models share. Times are UTC, addresses dotted, MACs in lower-case colons."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer


class Model(BaseModel):
    """Base of everything that crosses the API; unknown fields in requests are refused by name. What checks a model is made when
    it is first used: a command needs few of them, and a service makes all at once (see `complete`)."""

    model_config = ConfigDict(defer_build=True, extra="forbid")


def complete(kind: type[BaseModel] = Model) -> None:
    """Make what checks each model now, and of what is built from them at once, before threads share them."""
    for one in kind.__subclasses__():
        one.model_config["defer_build"] = False
        one.model_rebuild()
        complete(one)


def _iso(value: datetime) -> str:
    return value.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


Ref = Annotated[int | Annotated[str, Field(max_length=200)], Field(union_mode="left_to_right")]
"""How a thing is named: by its id, or in words (see the reference of the API for what is understood)."""
Time = Annotated[datetime, PlainSerializer(_iso, return_type=str)]


class Meant(BaseModel):
    """Something that a name may mean: what it is called, its address (of a band its stretch), its MAC."""

    id: int
    name: str
    address: str | None = None
    mac: str | None = None

    @property
    def said(self) -> str:
        """In words."""
        where = ", ".join(part for part in (self.address, self.mac) if part)
        return f"{self.name or 'one without a name'} ({f'{where}, ' if where else ''}id {self.id})"


class Problem(BaseModel):
    """An RFC 9457 problem document. `code` is for programs, `detail` one sentence for people.

    `field` names the input that is wrong; `start` and `end` the stretch of its text; `current` and `version` are the
    values now when an edit was stale. `kinds` are the mistakes that an edit would put into the plan; with `anyway` true it
    can be saved in spite of them. `candidates` are what a name may mean that is not clear enough.
    """

    type: str = "about:blank"
    title: str
    status: int
    code: str
    detail: str
    field: str | None = None
    start: int | None = None
    end: int | None = None
    current: dict[str, str] | None = None
    version: int | None = None
    anyway: bool | None = None
    kinds: list[str] | None = None
    candidates: list[Meant] | None = None


class MacView(Model):
    """A MAC address, whose block it lies in, and whether it is locally administered."""

    mac: str
    vendor: str | None
    local: bool


class NameView(Model):
    """A name and who said it: dhcp, dns, mdns, netbios, llmnr or self."""

    name: str
    source: str


class DeviceRef(Model):
    """A device by id, with the name to show."""

    id: int
    name: str | None
