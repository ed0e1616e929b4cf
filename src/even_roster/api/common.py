"""What all models share. Times are UTC, addresses dotted, MACs in lower-case colons."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING, Annotated, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, Field, GetJsonSchemaHandler, PlainSerializer, WithJsonSchema

if TYPE_CHECKING:
    from pydantic.json_schema import JsonSchemaValue
    from pydantic_core import CoreSchema

T = TypeVar("T")
BOTH_WAYS = ConfigDict(json_schema_serialization_defaults_required=False)
"""Of models that go in and come out: what may be left out of a request is described so in answers, too."""


class Model(BaseModel):
    """Base of everything that crosses the API; unknown fields in requests are refused by name. What checks a model is made when
    it is first used: a command needs few of them, and a service makes all at once (see `complete`)."""

    model_config = ConfigDict(defer_build=True, extra="forbid", json_schema_serialization_defaults_required=True)

    @classmethod
    def __get_pydantic_json_schema__(cls, core_schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        from .field_words import describe

        made = handler(core_schema)
        describe(cls.__name__, handler.resolve_ref_schema(made))
        return made


def complete(kind: type[BaseModel] = Model) -> None:
    """Make what checks each model now, and of what is built from them at once, before threads share them."""
    for one in kind.__subclasses__():
        one.model_config["defer_build"] = False
        one.model_rebuild()
        complete(one)


def iso(value: datetime) -> str:
    """A time as JSON has it: ISO 8601 in UTC, with milliseconds."""
    here = value if value.tzinfo is UTC else value.astimezone(UTC)
    return here.isoformat(timespec="milliseconds")[:-6] + "Z"


Id = Annotated[int, Field(ge=0, le=(1 << 53) - 1)]
"""What records are numbered by; no number that JSON's readers could take for another one."""
Word = Annotated[str, Field(max_length=200)]
"""A name, an address, a MAC: what is said in a few words."""
Line = Annotated[str, Field(max_length=1000)]
"""What has to fit into an address: ranges and words to look for."""
Text = Annotated[str, Field(max_length=10_000)]
"""What may be long: ranges, notes."""
Ref = Annotated[Id | Word, Field(union_mode="left_to_right")]
"""How a thing is named: by its id, or in words (see the reference of the API for what is understood)."""
Time = Annotated[
    datetime,
    PlainSerializer(iso, return_type=str),
    WithJsonSchema({"type": "string", "format": "date-time"}, mode="serialization"),
]


class Meant(Model):
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


class Problem(Model):
    """An RFC 9457 problem document. `code` is for programs, `detail` one sentence for people.

    `field` names the input that is wrong; `start` and `end` the stretch of its text; `current` and `version` are the values now
    when an edit was stale, `given` those that it wanted. `kinds` are the mistakes that an edit would put into the plan; with
    `anyway` true it can be saved in spite of them. `candidates` are what a name may mean that is not clear enough, `headers`
    those of a table whose columns are not.
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
    given: dict[str, str] | None = None
    version: int | None = None
    anyway: bool | None = None
    kinds: list[str] | None = None
    candidates: list[Meant] | None = None
    headers: list[str] | None = None


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


class SiteRef(Model):
    """A site by id, with its name."""

    id: int
    name: str


class SubnetRef(Model):
    """A subnet with its own name, which may be empty; one that is not planned has no id."""

    id: int | None
    cidr: str
    name: str


class BandRef(Model):
    """A band by id, with what it is called: its own name, or its kind and stretch."""

    id: int
    name: str


class ServerRef(Model):
    """A DHCP server that the roster manages, by id, with its name."""

    id: int
    name: str


class Page(Model, Generic[T]):
    """The envelope of every list: `items` of it, the cursor of the `next` page (None: this is the last), and how many there are in
    `total`, where that was counted."""

    items: list[T]
    next: str | None
    total: int | None
