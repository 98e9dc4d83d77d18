"""The revision of a device's plan: what a proof is a proof of."""

from __future__ import annotations

import hashlib

from zinger.plan.model import Device


def revision_of(device: Device) -> str:
    """Twelve hexadecimal digits that change with every planned value, the family, and who the device is."""
    rows = [device.name, device.family, device.serial, device.mac]
    rows += [f"{name}={value.setting.text(value.value)}" for name, value in sorted(device.values.items())]
    return hashlib.sha256("\0".join(rows).encode()).hexdigest()[:12]
