"""Credentials by which switches are read: kept encrypted under a name, never shown again. Each edit is one change of the
journal."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import Connection, select

from ...api.switches import Credential, CredentialEdit, CredentialNew
from ...store import order_records, switch_records
from ...store.edits import EditError, Missing, Versions
from ...store.journal import Journal, Written, version
from ...store.switch_tables import credentials
from ..aids.secret_box import SecretBox, SecretError
from ..context import Context
from ..setting_edits import changed, differing, writing
from . import agent_reading

CREDENTIAL = "credential"
_SECRETS = ("community", "auth_password", "privacy_password")
_SHOWN = ("name", "snmp", "user", "auth", "privacy")


def version_of(connection: Connection, identity: int) -> int:
    """At which version a credential is."""
    return version(connection, CREDENTIAL, (identity,))


def add(context: Context, who: str, new: CredentialNew) -> int:
    """Keep a credential; gives its id. Raises EditError."""
    plain = Credential(**new.model_dump(exclude={"name"}))
    _sensible(plain)
    with writing(context, who) as journal:
        values = {**_values(context, plain), "name": _name(journal, new.name, 0)}
        identity = journal.new_id(CREDENTIAL)
        journal.save(
            "add", CREDENTIAL, values["name"], [Written(CREDENTIAL, (identity,), values)], (None, _told(values))
        )
    changed(context, {CREDENTIAL})
    return identity


def edit(context: Context, who: str, identity: int, given: CredentialEdit, versions: Versions) -> None:
    """Change a credential: what is left out stays, secrets too. Raises Missing, StaleEdit, EditError."""
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        plain = _opened(context, before)
        asked = given.model_dump(exclude_none=True, exclude={"name"})
        plain = Credential(**{**plain.model_dump(), **asked})
        _sensible(plain)
        after = {**_values(context, plain), "name": before["name"]}
        if given.name is not None:
            after["name"] = _name(journal, given.name, identity)
        if not asked.keys() & set(_SECRETS):
            after["secret"] = before["secret"]
        told = differing(_told(before), _told(after))
        if asked.keys() & set(_SECRETS):
            told = ({**told[0], "secret": "as before"}, {**told[1], "secret": "another"})
        switch_records.ask_again(journal.connection)
        journal.save("set", CREDENTIAL, before["name"], [Written(CREDENTIAL, (identity,), after)], told)
    changed(context, {CREDENTIAL})


def remove(context: Context, who: str, identity: int, versions: Versions) -> None:
    """Keep a credential no longer. Raises Missing, StaleEdit, EditError where switches are read by it."""
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        used = [switch.called for switch in context.switches.switches.values() if switch.row.credential == identity]
        if used:
            raise EditError(f"{', '.join(used[:5])} {'is' if len(used) == 1 else 'are'} read by it; give another first")
        if any(order.credential == identity for order in order_records.open_ones(journal.connection)):
            raise EditError("a port is off for now that is switched on again by it; wait, or switch that port on first")
        journal.save(
            "remove", CREDENTIAL, before["name"], [Written(CREDENTIAL, (identity,), None)], (_told(before), None)
        )
    changed(context, {CREDENTIAL})


def every(connection: Connection) -> list[Any]:
    """The rows of all credentials, by name."""
    return list(connection.execute(select(credentials).order_by(credentials.c.name)).all())


def find(connection: Connection, what: int | str) -> Any:
    """The row of a credential by its id or name. Raises Missing."""
    rows = connection.execute(select(credentials).order_by(credentials.c.name)).all()
    word = str(what).strip().casefold()
    for row in rows:
        if row.name.casefold() == word:
            return row
    for row in rows:
        if str(row.id) == word:
            return row
    names = ", ".join(row.name for row in rows) or "none is kept yet: 'roster credential add NAME'"
    raise Missing(f"there is no credential {what!r}; there {'is' if len(rows) < 2 else 'are'} {names}")


def opened(context: Context) -> dict[int, Credential]:
    """Every credential that can be opened, by id: users of version 3 first, then communities."""
    with context.database.read() as connection:
        rows = connection.execute(select(credentials).order_by(credentials.c.snmp.desc(), credentials.c.name)).all()
    found = {}
    for row in rows:
        try:
            found[row.id] = _opened(context, row._mapping)
        except EditError:
            continue  # another home's key: it is to be entered again, and says so where it is used
    return found


def _opened(context: Context, row: Any) -> Credential:
    try:
        secrets = json.loads(_box(context).open(row["secret"]))
    except SecretError as error:
        raise EditError(f"the credential {row['name']} cannot be used: {error}", "credential") from error
    return Credential(snmp=row["snmp"], user=row["user"], auth=row["auth"], privacy=row["privacy"], **secrets)


def _values(context: Context, plain: Credential) -> dict[str, Any]:
    sealed = _box(context).seal(json.dumps({name: getattr(plain, name) for name in _SECRETS}))
    return {"snmp": plain.snmp, "user": plain.user, "auth": plain.auth, "privacy": plain.privacy, "secret": sealed}


def _box(context: Context) -> SecretBox:
    return SecretBox(context.secret, "switch credentials")


def _sensible(plain: Credential) -> None:
    agent_reading.session(plain)


def _name(journal: Journal, text: str, identity: int) -> str:
    name = " ".join(text.split())
    if not name or name.isdigit():
        raise EditError("give the credential a name that is no number alone", "name")
    for row in journal.connection.execute(select(credentials.c.id, credentials.c.name)):
        if row.id != identity and row.name.casefold() == name.casefold():
            raise EditError(f"there is a credential {row.name!r} already; choose another name", "name")
    return name


def _before(journal: Journal, identity: int, versions: Versions) -> dict[str, Any]:
    before = journal.row(CREDENTIAL, (identity,))
    if before is None:
        raise Missing(f"there is no credential {identity}")
    journal.expect(CREDENTIAL, (identity,), versions, f"the credential {before['name']}", _told(before))
    return before


def _told(values: dict[str, Any]) -> dict[str, Any]:
    """A credential as the list of changes shows it: never its secrets."""
    return {name: values[name] for name in _SHOWN if values[name] not in ("", "none")}
