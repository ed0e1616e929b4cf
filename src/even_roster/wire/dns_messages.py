"""Questions for the name of an address, and their answers: DNS (RFC 1035), mDNS (RFC 6762), LLMNR (RFC 4795).

dnspython builds and reads the messages; this module says which ones we send and turns its errors into ours.
"""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Address

import dns.exception
import dns.flags
import dns.message
import dns.name
import dns.rdata
import dns.rdataclass
import dns.rdatatype
import dns.reversename
import dns.rrset

from .errors import WireError, reader

DNS_PORT, MDNS_PORT, LLMNR_PORT = 53, 5353, 5355
MDNS_GROUP = IPv4Address("224.0.0.251")
LLMNR_GROUP = IPv4Address("224.0.0.252")
_UNICAST_RESPONSE = 0x8000
_MOST_NAMES = 16
_READ = (dns.rdatatype.A, dns.rdatatype.PTR, dns.rdatatype.CNAME)
_UNREAD = dns.rdatatype.from_text("TYPE65280")  # for private use, RFC 6895 3.1
for _kind in _READ:  # known before any packet is: what a packet names is looked up, and remembered, by (class, type)
    dns.rdata.get_rdata_class(dns.rdataclass.IN, _kind)  # type: ignore[no-untyped-call]


@dataclass(frozen=True, slots=True)
class NameAnswer:
    """What was answered: the transaction, and the names an address has, without the final dot."""

    transaction: int
    address: IPv4Address
    names: tuple[str, ...]


def encode_question(address: IPv4Address, transaction: int, *, recursion: bool = False, unicast: bool = False) -> bytes:
    """A PTR question for an address (RFC 1035 3.5).

    `recursion` is for DNS servers; `unicast` sets the QU bit of RFC 6762 5.4 for mDNS.
    """
    name = dns.reversename.from_address(str(address))
    message = dns.message.make_query(name, dns.rdatatype.PTR, id=transaction)
    message.flags = dns.flags.RD if recursion else dns.flags.Flag(0)
    wire = message.to_wire()
    return wire[:-2] + (int.from_bytes(wire[-2:], "big") | _UNICAST_RESPONSE).to_bytes(2, "big") if unicast else wire


@reader
def decode_question(data: bytes) -> tuple[int, IPv4Address]:
    """Transaction and address of a PTR question. Raises WireError."""
    message = _read(data)
    if message.flags & dns.flags.QR or len(message.question) != 1:
        raise WireError("not one question")
    question = message.question[0]
    if not _is(question, dns.rdatatype.PTR):
        raise WireError("not a PTR question")
    return message.id, _address(question.name)


def encode_name_question(name: str, transaction: int) -> bytes:
    """An A question for a name, to a DNS server (RFC 1035 3.4.1). Raises WireError for what is not a name."""
    try:
        message = dns.message.make_query(dns.name.from_text(name), dns.rdatatype.A, id=transaction)
    except dns.exception.DNSException as error:
        raise WireError(f"{name!r} is not a name") from error
    message.flags = dns.flags.Flag(dns.flags.RD)
    return message.to_wire()


@reader
def decode_name_question(data: bytes) -> tuple[int, str]:
    """Transaction and name, without the final dot, of an A question. Raises WireError."""
    message = _read(data)
    if message.flags & dns.flags.QR or len(message.question) != 1 or not _is(message.question[0], dns.rdatatype.A):
        raise WireError("not one A question")
    return message.id, _text(message.question[0].name)


def encode_addresses(transaction: int, name: str, addresses: tuple[IPv4Address, ...], *, ttl: int = 120) -> bytes:
    """An answer with A records, or without addresses NXDOMAIN (rcode 3)."""
    owner = dns.name.from_text(name)
    message = dns.message.Message(id=transaction)
    message.question.append(dns.rrset.RRset(owner, dns.rdataclass.IN, dns.rdatatype.A))
    message.flags = dns.flags.QR | dns.flags.AA
    if addresses:
        texts = [str(address) for address in addresses]
        message.answer.append(dns.rrset.from_text(owner, ttl, dns.rdataclass.IN, dns.rdatatype.A, *texts))
    else:
        message.flags |= 3
    return message.to_wire(max_size=65535)


@reader
def decode_addresses(data: bytes) -> tuple[int, tuple[IPv4Address, ...]]:
    """Transaction and A records of an answer, those behind a CNAME too. Raises WireError."""
    message = _read(data)
    if not message.flags & dns.flags.QR:
        raise WireError("a question, not an answer")
    if message.rcode() not in (0, 3):
        raise WireError(f"the server could not answer (rcode {message.rcode()})")
    found = [IPv4Address(record.address) for rrset in message.answer if _is(rrset, dns.rdatatype.A) for record in rrset]
    return message.id, tuple(found[:_MOST_NAMES])


def encode_answer(transaction: int, address: IPv4Address, names: tuple[str, ...], *, ttl: int = 120) -> bytes:
    """A positive PTR answer, or with no names NXDOMAIN (rcode 3). Names are absolute, without the final dot."""
    owner = dns.reversename.from_address(str(address))
    message = dns.message.Message(id=transaction)
    message.question.append(dns.rrset.RRset(owner, dns.rdataclass.IN, dns.rdatatype.PTR))
    message.flags = dns.flags.QR | dns.flags.AA
    if names:
        texts = [dns.name.from_text(name, dns.name.root).to_text() for name in names]
        message.answer.append(dns.rrset.from_text(owner, ttl, dns.rdataclass.IN, dns.rdatatype.PTR, *texts))
    else:
        message.flags |= 3
    return message.to_wire(max_size=65535)


@reader
def decode_answer(data: bytes) -> NameAnswer:
    """Read an answer's PTR records; other records are ignored. Raises WireError."""
    message = _read(data)
    if not message.flags & dns.flags.QR:
        raise WireError("a question, not an answer")
    names: list[str] = []
    address: IPv4Address | None = None
    for rrset in message.answer:
        if not _is(rrset, dns.rdatatype.PTR):
            continue
        try:
            owner = _address(rrset.name)
        except WireError:
            continue
        if address is not None and owner != address:
            continue
        address = owner
        names += [_text(record.target) for record in rrset][: _MOST_NAMES - len(names)]
    if address is None:
        if not message.question:
            raise WireError("no PTR record and no question in the answer")
        address = _address(message.question[0].name)
    return NameAnswer(message.id, address, tuple(names))


@reader
def decode_announcement(data: bytes) -> list[tuple[str, IPv4Address]]:
    """Host names with their addresses, from the A records of an unasked mDNS message (RFC 6762 8.3). Raises WireError."""
    message = _read(data)
    if not message.flags & dns.flags.QR:
        return []
    found = [
        (_text(rrset.name), IPv4Address(record.address))
        for section in (message.answer, message.additional)
        for rrset in section
        if _is(rrset, dns.rdatatype.A) and rrset.ttl
        for record in rrset
    ]
    return found[:_MOST_NAMES]


def encode_announcement(name: str, addresses: tuple[IPv4Address, ...], *, ttl: int = 120) -> bytes:
    """An mDNS announcement of a host's addresses (RFC 6762 8.3)."""
    message = dns.message.Message(id=0)
    message.flags = dns.flags.QR | dns.flags.AA
    texts = [str(address) for address in addresses]
    owner = dns.name.from_text(name, dns.name.root)
    message.answer.append(dns.rrset.from_text(owner, ttl, dns.rdataclass.IN, dns.rdatatype.A, *texts))
    return message.to_wire()


def _is(rrset: dns.rrset.RRset, kind: dns.rdatatype.RdataType) -> bool:
    """True for records of a type in the class IN: the same type has another form in every other class (RFC 1035 3.2.4)."""
    return rrset.rdtype == kind and rrset.rdclass == dns.rdataclass.IN


def _text(name: dns.name.Name) -> str:
    """A name for people: labels as UTF-8 where they are, other octets replaced (mDNS names are UTF-8)."""
    labels = [label.decode("utf-8", "replace") for label in name.labels if label]
    return ".".join(labels)


def _address(name: dns.name.Name) -> IPv4Address:
    try:
        return IPv4Address(dns.reversename.to_address(name))
    except (dns.exception.DNSException, ValueError) as error:
        raise WireError("the name is not an IPv4 address's reverse name") from error


def _read(data: bytes) -> dns.message.Message:
    """dnspython's own errors, and whatever else broken bytes make it raise, become WireError."""
    try:
        return dns.message.from_wire(_plain(data), ignore_trailing=True, one_rr_per_rrset=False)
    except Exception as error:
        raise WireError(f"not a DNS message: {type(error).__name__}") from error


def _plain(data: bytes) -> bytes:
    """Clear the top bit of every class field (RFC 6762 5.4 and 10.2), which plain DNS readers do not know, and mark every record
    that is not of class IN and a type in _READ as one that nobody reads: a stranger chooses neither which reader runs nor how many
    (class, type) pairs are remembered."""
    if len(data) < 12:
        raise WireError("a DNS message has at least 12 octets")
    plain = bytearray(data)
    questions = int.from_bytes(data[4:6], "big")
    records = sum(int.from_bytes(data[i : i + 2], "big") for i in (6, 8, 10))
    at = 12
    for number in range(questions + records):
        at = _behind_name(data, at)
        if at + 4 > len(data):
            break
        plain[at + 2] &= 0x7F
        if number >= questions:
            kind, rdclass = (int.from_bytes(plain[i : i + 2], "big") for i in (at, at + 2))
            if rdclass != dns.rdataclass.IN or kind not in _READ:
                plain[at : at + 4] = _UNREAD.to_bytes(2, "big") + dns.rdataclass.IN.to_bytes(2, "big")
        at += 4
        if number >= questions:
            if at + 6 > len(data):
                break
            at += 6 + int.from_bytes(data[at + 4 : at + 6], "big")
    return bytes(plain)


def _behind_name(data: bytes, at: int) -> int:
    while at < len(data):
        size = data[at]
        if size >= 0xC0:
            return at + 2
        at += 1 + size
        if size == 0:
            return at
    return at
