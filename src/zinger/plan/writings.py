"""The planned values of a device as somebody types them by hand: each in the writings that devices want."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.plan.model import Device, Value
from zinger.plan.values.account import Account
from zinger.plan.values.addresses import ManagementAddress
from zinger.plan.values.secrets import SecretRef


def writings_of(device: Device) -> Iterator[tuple[str, str]]:
    """(what it is called, text) of every planned value, a list also entry by entry; passwords are not among them."""
    for value in device.values.values():
        yield from _written(value)


def _written(planned: Value) -> Iterator[tuple[str, str]]:
    value, title = planned.value, planned.setting.title
    if isinstance(value, Account):
        yield f"{title}, the name", value.name
    elif isinstance(value, ManagementAddress) and value.interface is not None:
        mask = str(value.interface.network.netmask)
        yield f"{title}, prefix length", f"{value.ip}/{value.length}"
        yield f"{title}, alone", str(value.ip)
        yield f"{title}, dotted mask", f"{value.ip} {mask}"
        yield f"dotted mask of the {title}", mask
    elif isinstance(value, tuple) and value:
        entries = [str(getattr(entry, "host", entry)) for entry in value]
        yield from ((f"{title}, {number} of {len(value)}", entry) for number, entry in enumerate(entries, 1))
        if len(entries) > 1:
            yield f"{title}, blanks between", " ".join(entries)
    elif not isinstance(value, SecretRef):
        yield title, planned.setting.text(value)
