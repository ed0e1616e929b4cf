"""Secrets at rest: sealed with AES-GCM (NIST SP 800-38D) under a key derived (HKDF, RFC 5869) from the home's secret.key."""

from __future__ import annotations

import base64
import os

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

_NONCE = 12


class SecretError(ValueError):
    """A sealed secret cannot be opened: another key, or it was changed."""


class SecretBox:
    """Seals and opens texts of one purpose."""

    def __init__(self, key: bytes, purpose: str) -> None:
        derived = HKDF(algorithm=SHA256(), length=32, salt=None, info=purpose.encode()).derive(key)
        self._cipher = AESGCM(derived)

    def seal(self, text: str) -> str:
        """A text to keep; an empty one stays empty."""
        if not text:
            return ""
        nonce = os.urandom(_NONCE)
        return base64.b64encode(nonce + self._cipher.encrypt(nonce, text.encode(), None)).decode()

    def open(self, sealed: str) -> str:
        """The text that was sealed. Raises SecretError."""
        if not sealed:
            return ""
        try:
            data = base64.b64decode(sealed, validate=True)
            return self._cipher.decrypt(data[:_NONCE], data[_NONCE:], None).decode()
        except (ValueError, InvalidTag) as error:
            raise SecretError("the secret cannot be opened with this home's key; enter it again") from error
