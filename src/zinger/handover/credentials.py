"""The paper of credentials: every account with its password in clear. It never leaves this room but sealed."""

from __future__ import annotations

import io
import time
from collections.abc import Sequence
from pathlib import Path

from reportlab.lib.pagesizes import A4
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table

from zinger.files import write_whole
from zinger.handover.drawing import HAIR
from zinger.handover.proofsheet import EVIDENCE, HEAD, NORMAL, SMALL, say
from zinger.plan.values.secrets import SecretRef
from zinger.run.credentials import Credential, credentials_of
from zinger.run.openjob import OpenJob
from zinger.store.vault import Vault


def credentials_paper(title: str, found: Sequence[Credential], vault: Vault) -> bytes:
    """A PDF; the caller seals it before it is written anywhere."""
    out = io.BytesIO()
    document = SimpleDocTemplate(out, pagesize=A4, leftMargin=36, rightMargin=36, topMargin=36, bottomMargin=36,
                                 title=f"Credentials, {title}", invariant=1)  # fmt: skip
    rows: list[list[Flowable]] = [
        [Paragraph(h, SMALL) for h in ("device", "account or key", "address", "password", "proved")]
    ]
    for row in (row for row in found if row.kept):
        seen, at = row.seen
        proved = time.strftime(f"{seen} %Y-%m-%d", time.localtime(at)) if at else seen
        who = row.account or row.what or row.entry
        cells = [Paragraph(say(text), NORMAL) for text in (row.device, who, row.address)]
        rows.append([*cells, Paragraph(say(vault.get(SecretRef(row.entry))), EVIDENCE), Paragraph(proved, SMALL)])
    style = [("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEBELOW", (0, 0), (-1, -1), 0.3, HAIR)]
    table = Table(rows, colWidths=(100, 120, 80, 150, 70), repeatRows=1, style=style)
    document.build([Paragraph("Credentials", HEAD), Paragraph(say(title), NORMAL), Spacer(1, 10), table])
    return out.getvalue()


def seal_paper(job: OpenJob, vault: Vault) -> Path:
    """Write the paper, sealed for whoever can open the vault; returns its file. Raises OSError, VaultError."""
    paper = credentials_paper(job.plan.title, credentials_of(job, vault), vault)
    file = job.folder.handover / "credentials.pdf.age"
    file.parent.mkdir(exist_ok=True)
    write_whole(file, vault.seal(paper), 0o600)
    return file
