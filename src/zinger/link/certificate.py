"""TLS (RFC 8446) with a voice gateway: as a server that Zinger plays for a moment, and as a client of any gateway."""

from __future__ import annotations

import ssl
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path
from tempfile import TemporaryDirectory

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


def anybodys_tls() -> ssl.SSLContext:
    """TLS of a client that takes any certificate: it sends no secret, and only sees whether a gateway answers."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    return context


def server_tls(address: str) -> ssl.SSLContext:
    """TLS of a server at an address, with a key that is made now and kept nowhere."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, address)])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address(address))]), critical=False)
        .sign(key, hashes.SHA256())
    )
    plain = serialization.NoEncryption()
    pem = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with TemporaryDirectory() as room:  # the library takes a chain from files only
        file = Path(room) / "chain.pem"
        file.touch(mode=0o600)
        file.write_bytes(pem + certificate.public_bytes(serialization.Encoding.PEM))
        context.load_cert_chain(file)
    return context
