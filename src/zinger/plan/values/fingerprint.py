"""Fingerprints of certificates, as they are printed on labels: SHA-256 (FIPS 180-4), on older ones SHA-1."""

from __future__ import annotations

import hashlib
import re

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

_KINDS = {64: hashlib.sha256, 40: hashlib.sha1}


def spelled(digits: str) -> str:
    """Hexadecimal digits in pairs: `3F:22:...`."""
    upper = digits.upper()
    return ":".join(upper[i : i + 2] for i in range(0, len(upper), 2))


def fingerprint_of(certificate: bytes, length: int = 64) -> str:
    """The fingerprint of a certificate (DER), in pairs; `length` in hexadecimal digits says by which function."""
    return spelled(_KINDS[length](certificate).hexdigest())


def parse_fingerprint(raw: object) -> str:
    """A fingerprint in any notation; returned in pairs. Raises BadValue."""
    text = parse_text(raw)
    digits = re.sub(r"^\s*sha-?(?:1|256)[^:=0-9a-f]*[:=]?", "", text, flags=re.IGNORECASE)
    digits = re.sub(r"[\s:.\-]", "", digits)
    if len(digits) not in _KINDS or not re.fullmatch("[0-9A-Fa-f]+", digits):
        raise BadValue(
            f"{text[:90]!r} is not a valid certificate fingerprint",
            "write the 64 hexadecimal digits of SHA-256, or the 40 of SHA-1, as the label has them",
        )
    return spelled(digits)


def is_of(printed: str, certificate: bytes) -> bool:
    """Whether a fingerprint that was read is a certificate's."""
    return printed == fingerprint_of(certificate, len(printed.replace(":", "")))
