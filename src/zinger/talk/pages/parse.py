"""From the bytes of an answer to a `Document`: HTML as browsers forgive it, JSON, or plain text.

lxml was taken since it reads what old devices send (unclosed cells, fields between tables, no doctype) and hands the
tree over in document order; selectolax is faster and builds the tree that HTML5 says, which moves fields out of the
table rows that name them. Nothing is fetched: no script, no entity of a page's own, no file.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from typing import Any

from lxml import etree, html

from zinger.phrasebook.document import Document, Link, Table, plain
from zinger.talk.pages.fields import forms_of, joined, labels_of, remarks_of, shown_in
from zinger.talk.pages.text import is_hidden, text_lines, text_of

LONGEST_PAGE = 4_000_000
"""Bytes of a page that are looked at; more is no set-up page."""
MOST_FRAMES = 8


def parse(url: str, status: int, headers: dict[str, str], body: bytes) -> Document:
    """The document that an answer holds; `headers` have names in lower case. Never raises."""
    page = _parsed(url, status, headers, body)
    attached = headers.get("content-disposition", "").strip().lower().startswith("attachment")
    return replace(page, attached=True) if attached else page


def _parsed(url: str, status: int, headers: dict[str, str], body: bytes) -> Document:
    kind, _, rest = headers.get("content-type", "").partition(";")
    kind = kind.strip().lower()
    body = body[:LONGEST_PAGE]
    charset = _charset(rest)
    if kind.endswith("json") or (not kind and body[:1] in (b"{", b"[")):
        return _from_json(url, status, kind, body)
    looks_like_a_page = body.lstrip()[:200].lower().startswith((b"<!doctype", b"<html", b"<head", b"<body"))
    if body.strip() and (kind in ("text/html", "application/xhtml+xml") or looks_like_a_page):
        charset = charset or _meta_charset(body)
        return _from_page(url, status, headers.get("refresh", ""), _decoded(body, charset), charset)
    text = "" if b"\0" in body[:4096] else _decoded(body, charset)
    lines = tuple(line.rstrip() for line in text.splitlines())
    return Document(url, status, kind or "text/plain", lines=lines)


def _charset(parameters: str) -> str:
    found = re.search(r'charset\s*=\s*"?([\w:.-]+)', parameters, re.IGNORECASE)
    return found[1] if found else ""


def _meta_charset(body: bytes) -> str:
    found = re.search(rb"<meta[^>]{0,200}charset\s*=\s*[\"']?\s*([\w:.-]+)", body[:4096], re.IGNORECASE)
    return found[1].decode("ascii", "replace") if found else ""


def _decoded(body: bytes, charset: str) -> str:
    """As it says, else as UTF-8, else as old pages are: windows-1252, of which ISO 8859-1 is a part."""
    for name in (charset, "utf-8"):
        try:
            return body.decode(name) if name else body.decode("utf-8")
        except (LookupError, UnicodeDecodeError, ValueError):
            continue
    return body.decode("cp1252", "replace")


def _from_json(url: str, status: int, kind: str, body: bytes) -> Document:
    try:
        data = json.loads(body)
    except (ValueError, RecursionError):
        return Document(url, status, kind, lines=(body[:400].decode("utf-8", "replace"),))
    return Document(url, status, kind or "application/json", lines=tuple(_flat(data, "")), data=data)


def _flat(data: Any, path: str, depth: int = 0) -> Iterator[str]:
    """Rows such as `clock.zone: UTC`, which patterns of refusals and readings can be held against."""
    if depth > 40:
        return
    if isinstance(data, dict):
        for key, value in data.items():
            yield from _flat(value, f"{path}.{key}" if path else str(key), depth + 1)
    elif isinstance(data, list):
        for index, value in enumerate(data):
            yield from _flat(value, f"{path}[{index}]", depth + 1)
    else:
        yield f"{path}: {json.dumps(data, ensure_ascii=False) if not isinstance(data, str) else data}"


def _from_page(url: str, status: int, refresh: str, text: str, charset: str) -> Document:
    try:
        root = html.document_fromstring(
            re.sub(r"^\s*<\?xml[^>]*\?>", "", text.replace("\0", "")), parser=html.HTMLParser(no_network=True)
        )
    except (etree.LxmlError, ValueError):
        return Document(url, status, lines=tuple(text.splitlines()))
    base = root.find(".//base[@href]")
    at = joined(url, base.get("href", "")) if base is not None else url
    labels = labels_of(root)
    titles = root.findall(".//title")
    lines = tuple(text_lines(root))
    forms = tuple(forms_of(root, at, labels, charset.lower() or "utf-8"))
    links = tuple(_links(root, at))
    return Document(
        url,
        status,
        title=plain(text_of(titles[0])) if titles else "",
        headings=tuple(plain(text_of(h)) for h in root.iter("h1", "h2", "h3", "legend") if not is_hidden(h)),
        lines=lines,
        pairs=tuple(_pairs(root, lines)),
        forms=forms,
        links=links,
        tables=tuple(_tables(root)),
        remarks=tuple(remarks_of(root, labels)),
        alerts=tuple(
            plain(text_of(e)) for e in root.iterfind(".//*[@role='alert']") if not is_hidden(e) and text_of(e).strip()
        ),
        frames=tuple(
            joined(at, frame.get("src", "")) for frame in root.iter("frame", "iframe") if frame.get("src", "").strip()
        )[:MOST_FRAMES],
        again=_again(root, at, refresh),
        scripted=not forms and not links and len("".join(lines)) < 200 and next(root.iter("script"), None) is not None,
    )


def _links(root: Any, at: str) -> Iterator[Link]:
    for link in root.iter("a", "area"):
        if link.get("href") is not None and not is_hidden(link):
            images = " ".join(image.get("alt", "") for image in link.iter("img"))
            text = plain(text_of(link)) or plain(link.get("title") or link.get("alt") or images)
            yield Link(text, joined(at, link.get("href").strip()))


def _tables(root: Any) -> Iterator[Table]:
    """The tables with more than one column; a cell that holds a field reads as what stands there."""
    for table in root.iter("table"):
        rows = []
        for row in table.iter("tr"):
            cells = [cell for cell in row if cell.tag in ("td", "th")]
            if len(cells) > 1 and next(row.iterancestors("table"), None) is table:
                rows.append(tuple(plain_cell(cell) for cell in cells for _ in range(_span(cell))))
        caption = table.find("caption")
        if rows:
            yield Table(tuple(rows), plain(text_of(caption)) if caption is not None else "")


def _span(cell: Any) -> int:
    span = cell.get("colspan", "1").strip()
    return min(int(span), 50) if span.isdigit() and int(span) else 1


def plain_cell(cell: Any) -> str:
    """What a person reads in a cell."""
    return re.sub(r"\s+", " ", f"{text_of(cell)} {shown_in(cell)}").strip()


def _pairs(root: Any, lines: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    """Labels and what stands beside them."""
    for row in root.iter("tr"):
        cells = [plain_cell(cell) for cell in row if cell.tag in ("td", "th")]
        for label, value in pairwise(cells):
            if plain(label):
                yield plain(label), value
    for term in root.iter("dt"):
        told = term.getnext()
        if told is not None and told.tag == "dd":
            yield plain(text_of(term)), plain_cell(told)
    for label in root.iter("b", "strong", "label", "span"):
        parent = label.getparent()
        if parent is not None and label.getprevious() is None and not (parent.text or "").strip():
            rest = " ".join(
                [label.tail or "", *(f"{text_of(e)} {shown_in(e)} {e.tail or ''}" for e in label.itersiblings())]
            )
            if plain(text_of(label)) and len(parent) < 12:
                yield plain(text_of(label)), re.sub(r"\s+", " ", rest).strip(" \t:")
    for line in lines:
        label, colon, value = line.partition(":")
        if colon and plain(label) and len(label) < 80:
            yield plain(label), value.strip()


def _again(root: Any, at: str, refresh: str) -> tuple[float, str] | None:
    """Where the page goes by itself: the header of that name, or a meta refresh."""
    said = [refresh]
    said += [meta.get("content", "") for meta in root.iter("meta") if meta.get("http-equiv", "").lower() == "refresh"]
    for text in filter(None, said):
        found = re.match(r"\s*(\d+(?:\.\d*)?)\s*(?:[;,]\s*(?:url\s*=\s*)?['\"]?(.*?)['\"]?\s*)?$", text, re.IGNORECASE)
        if found:
            return float(found[1]), joined(at, found[2] or "")
    return None
