"""The inventory as a table (CSV, XLSX), as YAML, and what a monitoring is to look at."""

from __future__ import annotations

import csv
import datetime
import io
import time
from collections.abc import Iterator

from ruamel.yaml import YAML

from zinger.handover.exports.pack import Pack, full_name
from zinger.handover.record import DeviceRecord
from zinger.plan.files.cells import shielded
from zinger.plan.subjects.management.settings import GATEWAY, MANAGEMENT_VLAN
from zinger.plan.subjects.services.settings import HTTP, HTTPS, NETCONF, SSH, TELNET

COLUMNS = ("site", "hostname", "full name", "role", "family", "address", "prefix length", "gateway", "vlan", "serial",
           "mac", "label", "location", "state", "proved")  # fmt: skip
SERVICES = (
    (SSH, "ssh", 22),
    (TELNET, "telnet", 23),
    (HTTP, "http", 80),
    (HTTPS, "https", 443),
    (NETCONF, "netconf", 830),
)
"""What may be asked over the network: the setting, its name, its port (IANA)."""
_EPOCH = datetime.datetime(1980, 1, 1)


def _row(record: DeviceRecord) -> list[str]:
    device, fixed = record.device, record.device.fixed
    at = record.memory.concluded_at if record.state == "proved" else None
    proved = time.strftime("%Y-%m-%d %H:%M", time.localtime(at)) if at else ""
    address = (str(fixed.ip), str(fixed.prefix)) if fixed else (str(device.address or ""), "")
    vlan, gateway = device[MANAGEMENT_VLAN], device[GATEWAY]
    who = (device.site.name, device.name, full_name(device), device.role, device.family)
    printed = (device.serial, device.mac, device.label, device.location)
    return [*who, *address, str(gateway or ""), str(vlan or ""), *printed, record.state, proved]


def as_csv(pack: Pack) -> bytes:
    """The inventory as CSV (RFC 4180), no cell of which a spreadsheet takes for a formula."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(COLUMNS)
    table.writerows([shielded(cell) for cell in _row(record)] for record in pack.records)
    return out.getvalue().encode()


def as_xlsx(pack: Pack) -> bytes:
    """The inventory as a workbook (ISO/IEC 29500), all cells text."""
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    book = Workbook(write_only=True)
    book.properties.created = book.properties.modified = _EPOCH  # the same devices make the same bytes
    sheet = book.create_sheet("inventory")
    sheet.freeze_panes = "A2"
    head = [WriteOnlyCell(sheet, value=column) for column in COLUMNS]
    for cell in head:
        cell.font = Font(bold=True)
    sheet.append(head)
    for record in pack.records:
        cells = [WriteOnlyCell(sheet, value=_shown(text)) for text in _row(record)]
        for cell in cells:
            cell.data_type = "s"
        sheet.append(cells)
    out = io.BytesIO()
    book.save(out)
    return _same_times(out.getvalue())


def _shown(text: str) -> str:
    return "".join(char for char in text if char.isprintable())


def _same_times(data: bytes) -> bytes:
    """A workbook without the times at which its parts were written."""
    import re
    import zipfile

    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for part in old.infolist():
            content = old.read(part.filename)
            if part.filename == "docProps/core.xml":
                content = re.sub(rb"(<dcterms:modified[^>]*>)[^<]*", rb"\g<1>1980-01-01T00:00:00Z", content)
            new.writestr(zipfile.ZipInfo(part.filename, (1980, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def as_yaml(pack: Pack) -> str:
    """The inventory as YAML 1.2, a mapping a device."""
    out = io.StringIO()
    rows = [dict(zip(COLUMNS, _row(record), strict=True)) for record in pack.records]
    writer = YAML()
    writer.default_flow_style = False
    writer.dump({"devices": [{key.replace(" ", "_"): text for key, text in row.items() if text} for row in rows]}, out)
    return out.getvalue()


def monitoring(pack: Pack) -> bytes:
    """What is to be looked at: a line for each device and service that is planned to be on; RFC 4180."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(("device", "address", "check", "port", "site", "role"))
    table.writerows([shielded(cell) for cell in line] for line in _checks(pack))
    return out.getvalue().encode()


def _checks(pack: Pack) -> Iterator[tuple[str, ...]]:
    for record, address in pack.fixed():
        device = record.device
        book = pack.books.get(device.family)
        yield device.name, str(address.ip), "ping", "", device.site.name, device.role
        for setting, name, port in SERVICES:
            if device[setting]:
                port = book.ssh.port if book is not None and setting is SSH else port
                yield device.name, str(address.ip), name, str(port), device.site.name, device.role
