"""A certificate that the service makes for itself, so that a phone reaches it beyond this machine (RFC 5280). Nobody vouches
for it: a browser asks once, and the fingerprint says whether it is this service that it talks to."""

from __future__ import annotations

import datetime
import ipaddress
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from ..aids.home_folder import write_private

LASTS = datetime.timedelta(days=730)
RENEWED_BEFORE = datetime.timedelta(days=30)


@dataclass(frozen=True, slots=True)
class OwnCertificate:
    """Where the certificate and its key are."""

    certificate: Path
    key: Path


def have(folder: Path, hostname: str, addresses: Sequence[str], now: datetime.datetime) -> OwnCertificate:
    """The certificate of a home folder; it is made when there is none yet, or when the one there has nearly ended. It stays the
    same otherwise, so that a fingerprint is compared once. Raises OSError."""
    own = OwnCertificate(folder / "own-certificate.pem", folder / "own-certificate.key")
    if not _good(own, now):
        _make(own, hostname, addresses, now)
    return own


def fingerprint(certificate: Path) -> str:
    """The SHA-256 fingerprint, as browsers show it. Raises OSError, ValueError."""
    found = x509.load_pem_x509_certificate(certificate.read_bytes())
    return found.fingerprint(hashes.SHA256()).hex(":").upper()


def _good(own: OwnCertificate, now: datetime.datetime) -> bool:
    try:
        found = x509.load_pem_x509_certificate(own.certificate.read_bytes())
        key = serialization.load_pem_private_key(own.key.read_bytes(), None)
    except (OSError, ValueError, TypeError):
        return False
    ours = key.public_key() == found.public_key()
    return ours and found.not_valid_before_utc <= now < found.not_valid_after_utc - RENEWED_BEFORE


def _make(own: OwnCertificate, hostname: str, addresses: Sequence[str], now: datetime.datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Even Roster on {hostname}"[:64])])
    names: list[x509.GeneralName] = [x509.DNSName("localhost")]
    if hostname.isascii() and hostname and " " not in hostname and hostname != "localhost":
        names.append(x509.DNSName(hostname))
    names += [x509.IPAddress(ipaddress.ip_address(one)) for one in dict.fromkeys(["127.0.0.1", "::1", *addresses])]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=1))
        .not_valid_after(now + LASTS)
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )  # fmt: skip
    write_private(own.key, private)
    write_private(own.certificate, made.public_bytes(serialization.Encoding.PEM))
