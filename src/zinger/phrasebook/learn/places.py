"""The places of a draft: pages that are the same page, what each is called, and how it is told from all others."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

from zinger.phrasebook.document import Document, at_path, plain, written

MOST_FIELDS = 3
"""So many fields of a form are enough to know it by."""


@dataclass
class Place:
    """One place: its name, the pages that it was, and how it is known."""

    name: str
    pages: list[Document]
    sign: dict[str, Any] = field(default_factory=dict)
    asks_for: str = ""
    keep: str = ""
    waits: str = ""

    @property
    def last(self) -> Document:
        """How it looked when it was seen last."""
        return self.pages[-1]

    @property
    def is_json(self) -> bool:
        """Whether it is an answer of an interface."""
        return self.last.data is not None


def places_of(pages: Sequence[Document], varying: Sequence[str]) -> list[Place]:
    """The places that these pages are, in the order in which they were met; `varying` are texts of this very device."""
    groups: dict[tuple[Any, ...], list[Document]] = {}
    for page in pages:
        groups.setdefault(_key(page, varying), []).append(page)
    keys = _merged(groups)
    places = [Place("", found) for found in keys]
    for place, name in zip(places, _names(places, varying), strict=True):
        place.name = name
    for place in places:
        place.sign = _sign(place, places, varying)
    return places


def _key(page: Document, varying: Sequence[str]) -> tuple[Any, ...]:
    if page.data is not None:
        return ("json", page.status >= 400, *sorted(_leaves(page.data)))
    if page.status == 401 and not page.forms:
        return ("challenge",)
    title = _neutral(page.title or next(iter(page.headings), ""), varying)
    fields = tuple(sorted({f.name for form in page.forms for f in form.shown_fields if f.name}))
    return ("page", title, fields, "" if title else urlsplit(page.url).path)


def _neutral(text: str, varying: Sequence[str]) -> str:
    for one in varying:
        text = text.replace(one, "\0")
    return text


def _merged(groups: dict[tuple[Any, ...], list[Document]]) -> list[list[Document]]:
    """One page may have more fields at one time than at another; with the same title and address it is the same."""
    kept: list[tuple[tuple[Any, ...], list[Document]]] = []
    for key, pages in groups.items():
        same = next((k for k in kept if _alike(k, (key, pages))), None)
        if same is None:
            kept.append((key, pages))
        else:
            same[1].extend(pages)
    return [pages for _, pages in kept]


def _alike(one: tuple[tuple[Any, ...], list[Document]], other: tuple[tuple[Any, ...], list[Document]]) -> bool:
    a, b = one[0], other[0]
    if a[0] != b[0]:
        return False
    if a[0] == "json":
        return a[1] == b[1] and set(a[2:]) != set(b[2:]) and _same_head(a[2:], b[2:]) and _same_path(one[1], other[1])
    if a[0] != "page" or a[1] != b[1] or not a[1]:
        return False
    overlap = len(set(a[2]) & set(b[2]))
    return (not a[2] and not b[2]) or overlap * 2 > min(len(a[2]), len(b[2]))


def _same_head(a: tuple[str, ...], b: tuple[str, ...]) -> bool:
    """The same keys on the top: what is below may come and go."""
    return {leaf.partition(".")[0].rstrip("[]") for leaf in a} == {leaf.partition(".")[0].rstrip("[]") for leaf in b}


def _same_path(one: list[Document], other: list[Document]) -> bool:
    return {urlsplit(p.url).path for p in one} & {urlsplit(p.url).path for p in other} != set()


def _leaves(data: Any, path: str = "", depth: int = 0) -> Iterator[str]:
    """The paths of an answer; entries of a list count as one."""
    if isinstance(data, dict) and data and depth < 4:
        for key, value in data.items():
            yield from _leaves(value, f"{path}.{key}" if path else str(key), depth + 1)
    elif isinstance(data, list):
        yield f"{path}[]"
    else:
        yield path


# -- names -----------------------------------------------------------------------------------------------
def _names(places: Sequence[Place], varying: Sequence[str]) -> list[str]:
    titles = [_neutral(p.last.title or next(iter(p.last.headings), ""), varying).replace("\0", "") for p in places]
    told = [title for title in titles if title]
    common = _common_start(told) if len(set(told)) > 1 else ""
    common = common[: max(common.rfind(" "), common.rfind(":"), common.rfind("·")) + 1] if common else ""
    taken: set[str] = set()
    names = []
    for place, title in zip(places, titles, strict=True):
        name = _word(title.removeprefix(common))
        if place.is_json:
            paths = {urlsplit(page.url).path for page in place.pages}
            of_keys = next(iter(place.last.data), "") if isinstance(place.last.data, dict) else ""
            name = _word(of_keys if len(paths) > 1 else urlsplit(place.last.url).path.rstrip("/").rpartition("/")[2])
            name = f"{name}_refused" if place.last.status >= 400 else name
        if place.last.status == 401 and not place.last.forms:
            name = "challenge"
        name = name or _word(urlsplit(place.last.url).path) or "page"
        base, count = name, 1
        while name in taken:
            count += 1
            name = f"{base}_{count}"
        taken.add(name)
        names.append(name)
    return names


def _common_start(texts: Sequence[str]) -> str:
    first, last = min(texts), max(texts)
    same = next((n for n, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), min(len(first), len(last)))
    return first[:same]


def _word(text: str) -> str:
    word = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:24].strip("_")
    return f"page_{word}" if word[:1].isdigit() else word


# -- signs -----------------------------------------------------------------------------------------------
def _sign(place: Place, places: Sequence[Place], varying: Sequence[str]) -> dict[str, Any]:
    """As little as tells it from all others."""
    others = [page for other in places if other is not place for page in other.pages]
    if place.is_json:
        return _json_sign(place, others)
    last = place.last
    if last.status == 401 and not last.forms:
        return {"status": 401}
    sign: dict[str, Any] = {}
    if last.title:
        sign["title"] = _pattern(last.title, varying)
    elif last.headings:
        sign["heading"] = _pattern(last.headings[0], varying)
    if not sign:
        sign["at"] = f"^{re.escape(urlsplit(last.url).path)}"
    if not any(_matches(sign, page) for page in others):
        return sign
    fields = _own_fields(place)
    if fields:
        sign["has"] = fields[:MOST_FIELDS]
        if not any(_matches(sign, page) for page in others):
            return sign
    button = next((b.label for form in last.forms for b in form.buttons if b.label), "")
    if button:
        sign["button"] = button
        if not any(_matches(sign, page) for page in others):
            return sign
    if "at" not in sign:
        sign["at"] = f"^{re.escape(urlsplit(last.url).path)}$"
    return sign


def _pattern(text: str, varying: Sequence[str]) -> str:
    """The very text, with any name where this device's stands."""
    pattern = re.escape(text).replace("\\ ", " ").replace("\\-", "-").replace("\\:", ":")
    for one in varying:
        pattern = pattern.replace(re.escape(one).replace("\\-", "-"), r"\S+")
    return f"^{pattern}$"


def _own_fields(place: Place) -> list[str]:
    """The labels that its form had each time."""
    each = [[plain(f.words) for form in page.forms for f in form.shown_fields if f.words] for page in place.pages]
    return [label for label in dict.fromkeys(each[0]) if all(label in labels for labels in each)] if each else []


def _matches(sign: dict[str, Any], page: Document) -> bool:
    if "title" in sign and not re.search(sign["title"], page.title):
        return False
    if "heading" in sign and not any(re.search(sign["heading"], h) for h in page.headings):
        return False
    if "at" in sign and not re.search(sign["at"], page.path):
        return False
    return not (
        ("has" in sign or "button" in sign) and page.form_with(sign.get("has", []), sign.get("button", "")) is None
    )


def _json_sign(place: Place, others: Sequence[Document]) -> dict[str, Any]:
    """The paths that it always has, those first that the fewest others have."""
    mine = [set(_leaves(page.data)) for page in place.pages]
    always = sorted(set.intersection(*mine)) if mine else []
    rest = [set(_leaves(page.data)) for page in others if page.data is not None]
    always.sort(key=lambda leaf: (sum(leaf in leaves for leaves in rest), leaf.count("."), leaf))
    paths: dict[str, str] = {}
    left = [page for page in others if page.data is not None]
    for leaf in always:
        path = leaf.removesuffix("[]")
        fewer = [page for page in left if next(iter(at_path(page.data, path)), None) is not None]
        if len(fewer) < len(left) or not paths:
            paths[path] = ""
            left = fewer
        if not left or len(paths) == MOST_FIELDS:
            break
    if left:  # the same shape: a yes or no may tell
        for leaf in always:
            values = {written(v) for page in place.pages for v in at_path(page.data, leaf)}
            theirs = {written(v) for page in left for v in at_path(page.data, leaf)}
            if len(values) == 1 and values <= {"true", "false"} and not values & theirs:
                paths[leaf] = f"^{next(iter(values))}$"
                left = []
                break
    sign: dict[str, Any] = {"json": paths or {always[0].removesuffix("[]") if always else "": ""}}
    statuses = sorted({page.status for page in place.pages})
    if statuses[0] >= 400:
        sign["status"] = statuses[0] if len(statuses) == 1 else statuses
    elif left and len({urlsplit(page.url).path for page in place.pages}) == 1:
        sign["at"] = f"^{re.escape(urlsplit(place.last.url).path)}"
    return sign
