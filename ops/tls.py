"""An authority of our own and a certificate for this machine's names. Runs in the virtual environment."""

from __future__ import annotations

import datetime
import ipaddress
import sys
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

_DAY = datetime.timedelta(days=1)


def _key(file: Path) -> ec.EllipticCurvePrivateKey:
    if file.exists():
        key = serialization.load_pem_private_key(file.read_bytes(), None)
        assert isinstance(key, ec.EllipticCurvePrivateKey)
        return key
    key = ec.generate_private_key(ec.SECP256R1())
    file.touch(mode=0o600)
    file.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return key


def _name(words: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, words)])


def authority(folder: Path) -> tuple[x509.Certificate, ec.EllipticCurvePrivateKey]:
    """The authority's certificate and key, made once for ten years."""
    key = _key(folder / "authority.key")
    file = folder / "authority.crt"
    if file.exists():
        return x509.load_pem_x509_certificate(file.read_bytes()), key
    now = datetime.datetime.now(datetime.UTC)
    name = _name("Kestov workshop authority")
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - _DAY)
        .not_valid_after(now + 3650 * _DAY)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.KeyUsage(False, False, False, False, False, True, True, False, False), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    return certificate, key


def issue(folder: Path, names: list[str]) -> None:
    """A certificate for these names and addresses, unless the one there still serves for 30 days and all of them."""
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    ca, ca_key = authority(folder)
    now = datetime.datetime.now(datetime.UTC)
    wanted = sorted({n.strip("[]") for n in names})
    file = folder / "server.crt"
    if file.exists():
        old = x509.load_pem_x509_certificate(file.read_bytes())
        held = old.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        have = sorted(
            [*held.get_values_for_type(x509.DNSName), *(str(a) for a in held.get_values_for_type(x509.IPAddress))]
        )
        if have == wanted and old.not_valid_after_utc > now + 30 * _DAY:
            return
    key = _key(folder / "server.key")
    alternatives: list[x509.GeneralName] = []
    for n in wanted:
        try:
            alternatives.append(x509.IPAddress(ipaddress.ip_address(n)))
        except ValueError:
            alternatives.append(x509.DNSName(n))
    certificate = (
        x509.CertificateBuilder()
        .subject_name(_name("Kestov"))
        .issuer_name(ca.subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - _DAY)
        # Tablets refuse server certificates that last longer.
        .not_valid_after(now + 397 * _DAY)
        .add_extension(x509.SubjectAlternativeName(alternatives), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(ca_key.public_key()), critical=False)
        .sign(ca_key, hashes.SHA256())
    )
    file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM) + ca.public_bytes(serialization.Encoding.PEM))


if __name__ == "__main__":
    issue(Path(sys.argv[1]), sys.argv[2:])
