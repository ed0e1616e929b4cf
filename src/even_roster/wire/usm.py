"""The user-based security of SNMP version 3 (RFC 3414): keys from passwords, digests, and privacy. By the primitives of
`cryptography`; nothing is secret but what is handed in.

Authentication is HMAC-SHA-1-96 (RFC 3414 7) or HMAC with SHA-2 (RFC 7860); privacy AES-128 in CFB mode (RFC 3826), and AES-192 and
-256 in the way that agents have agreed on (key extension of draft-blumenthal-aes-usm-04 3.1.2.1). MD5 and DES are left out: they
protect nothing any more.
"""

from __future__ import annotations

import hashlib
import hmac
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from typing import Any

from cryptography.hazmat.decrepit.ciphers.modes import CFB
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms

LEAST_PASSWORD = 8
_EXPANDED = 1 << 20


class Auth(StrEnum):
    """How messages are authenticated."""

    NONE = "none"
    SHA1 = "sha1"
    SHA224 = "sha224"
    SHA256 = "sha256"
    SHA384 = "sha384"
    SHA512 = "sha512"


class Privacy(StrEnum):
    """How messages are encrypted."""

    NONE = "none"
    AES128 = "aes128"
    AES192 = "aes192"
    AES256 = "aes256"


_DIGEST_SIZES = {Auth.SHA1: 12, Auth.SHA224: 16, Auth.SHA256: 24, Auth.SHA384: 32, Auth.SHA512: 48}
_KEY_SIZES = {Privacy.AES128: 16, Privacy.AES192: 24, Privacy.AES256: 32}


@dataclass(frozen=True, slots=True)
class User:
    """Who asks, and by which secrets. Without authentication there is no privacy either."""

    name: str
    auth: Auth = Auth.NONE
    auth_password: str = field(default="", repr=False)
    privacy: Privacy = Privacy.NONE
    privacy_password: str = field(default="", repr=False)


def digest_size(auth: Auth) -> int:
    """How many octets of the digest go along."""
    return _DIGEST_SIZES[auth]


@lru_cache(maxsize=256)
def _master(auth: Auth, password: str) -> bytes:
    """A password made into a key (RFC 3414 A.2); slow by intent, so it is remembered."""
    octets = password.encode()
    return _hash(auth, (octets * (_EXPANDED // len(octets) + 1))[:_EXPANDED])


def localized(auth: Auth, password: str, engine: bytes) -> bytes:
    """A user's key for one engine (RFC 3414 2.6). Raises ValueError for a password of less than eight octets."""
    if len(password.encode()) < LEAST_PASSWORD:
        raise ValueError(f"a password has at least {LEAST_PASSWORD} characters (RFC 3414 11.2)")
    master = _master(auth, password)
    return _hash(auth, master + engine + master)


def privacy_key(auth: Auth, privacy: Privacy, password: str, engine: bytes) -> bytes:
    """The key for encryption, extended where the digest is shorter than it."""
    key, size = localized(auth, password, engine), _KEY_SIZES[privacy]
    while len(key) < size:
        key += _hash(auth, key)
    return key[:size]


def digest(auth: Auth, key: bytes, message: bytes) -> bytes:
    """What authenticates a message in which the digest's own octets are zero."""
    return hmac.digest(key, message, auth.value)[: _DIGEST_SIZES[auth]]


def same(one: bytes, other: bytes) -> bool:
    """Whether two digests are the same, in a time that tells nothing of where they differ."""
    return hmac.compare_digest(one, other)


def encrypt(key: bytes, boots: int, ticks: int, salt: bytes, data: bytes) -> bytes:
    """Encrypt a scoped data unit (RFC 3826 3.1.2)."""
    done = _cipher(key, boots, ticks, salt).encryptor()
    return bytes(done.update(data) + done.finalize())


def decrypt(key: bytes, boots: int, ticks: int, salt: bytes, data: bytes) -> bytes:
    """Decrypt a scoped data unit; what comes of a wrong key is no BER."""
    done = _cipher(key, boots, ticks, salt).decryptor()
    return bytes(done.update(data) + done.finalize())


def _cipher(key: bytes, boots: int, ticks: int, salt: bytes) -> Cipher[Any]:
    start = boots.to_bytes(4, "big") + ticks.to_bytes(4, "big") + salt
    return Cipher(algorithms.AES(key), CFB(start))


def _hash(auth: Auth, data: bytes) -> bytes:
    return hashlib.new(auth.value, data).digest()
