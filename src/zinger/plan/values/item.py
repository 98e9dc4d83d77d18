"""Values that have parts, such as a VLAN, a port or a peer: each a frozen pydantic model built on `Item`.

All of them can be written in two ways that mean the same: as a mapping in YAML or JSON, or in words that fit
a cell of a sheet, such as `20 staff` for a VLAN or `1-16 access vlan 20 description "desk"` for ports. The
words come from the model itself: its first fields by position, the others by their name, a yes by its name
alone. `str(item)` writes them, so that what was read can be written back.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Generic, Self, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, model_validator

from zinger.plan.values import addresses, mac, names, ports, secrets, service_ports, text
from zinger.plan.values.bad import BadValue
from zinger.plan.values.secrets import SecretRef
from zinger.wording import did_you_mean

_TOKEN = re.compile(r'"([^"]*)"|(\S+)')
_BETWEEN = re.compile(r";|\n|,\s+")


def typed(parse: Callable[[Any], Any]) -> Any:
    """A pydantic validator from a parser; what has its type already passes."""
    return BeforeValidator(parse)


Text = Annotated[str, typed(text.parse_words)]
Word = Annotated[str, typed(names.parse_account_name)]
Name = Annotated[str, typed(names.parse_hostname)]
Host = Annotated[Any, typed(names.parse_host)]
HostAddress = Annotated[Any, typed(addresses.parse_address)]
HostAddresses = Annotated[tuple[Any, ...], typed(text.each(addresses.parse_address))]
WithPrefix = Annotated[Any, typed(addresses.parse_interface)]
Subnet = Annotated[Any, typed(addresses.parse_network)]
Subnets = Annotated[tuple[Any, ...], typed(text.each(addresses.parse_network))]
VlanId = Annotated[int, typed(text.parse_vlan)]
VlanIds = Annotated[tuple[int, ...], typed(text.each(text.parse_vlan))]
Ports = Annotated[tuple[str, ...], typed(ports.parse_ports)]
Mac = Annotated[str, typed(mac.parse_mac)]
Flag = Annotated[bool, typed(text.parse_flag)]
Secret = Annotated[SecretRef, typed(secrets.parse_secret)]
TcpPort = Annotated[int, typed(service_ports.parse_port)]


def word_of(*words: str) -> Any:
    return typed(text.one_of(*words))


def number(low: int, high: int, unit: str = "", word: str = "number") -> Any:
    return typed(text.whole(low, high, unit, word))


ItemT = TypeVar("ItemT", bound="Item")


class Item(BaseModel):
    """A value with parts; `lead` names the fields that come first, in order, without their name."""

    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True)
    lead: ClassVar[tuple[str, ...]] = ()
    example: ClassVar[str] = ""
    units: ClassVar[Mapping[str, str]] = {}
    of_the_plan: ClassVar[frozenset[str]] = frozenset()
    """Fields that say something about other rows of the plan: no device keeps them."""

    @classmethod
    def words_of(cls, part: str) -> tuple[str, ...]:
        """The words of which a part is one; none for another part."""
        checks = (getattr(checked, "func", None) for checked in cls.model_fields[part].metadata)
        return tuple(word for check in checks for word in getattr(check, "words", ()))

    @model_validator(mode="before")
    @classmethod
    def _from_words(cls, raw: Any) -> Any:
        return cls._parts(raw) if isinstance(raw, str | int | float) else raw

    @classmethod
    def _parts(cls, raw: object) -> dict[str, Any]:
        """The fields, as text, of an item in words."""
        tokens = [(m[1], True) if m[1] is not None else (m[2], False) for m in _TOKEN.finditer(text.parse_text(raw))]
        keywords = {name.replace("_", "-"): name for name in cls.model_fields}
        parts: dict[str, Any] = {}
        waiting = [name for name in cls.lead]
        at = 0
        while at < len(tokens):
            token, quoted = tokens[at]
            field = None if quoted else keywords.get(token.lower())
            if field is None and waiting:
                field = waiting.pop(0)
            elif field is None:
                known = ", ".join(n for n in keywords if keywords[n] not in cls.lead)
                what = f"{token!r} is not one of {known}" if known else f"{token!r} has no place here"
                raise BadValue(f"{what}{did_you_mean(token, keywords)}", f"write it like {cls.example}")
            elif cls.model_fields[field].annotation is bool:
                parts[field] = True
                at += 1
                continue
            else:
                waiting = [w for w in waiting if w != field]
                at += 1
                if at == len(tokens):
                    raise BadValue(f"nothing follows {token!r}", f"write it like {cls.example}")
            parts[field] = tokens[at][0]
            at += 1
            unit = cls.units.get(field)
            if unit and at < len(tokens) and tokens[at] == (unit, False):
                at += 1
        return parts

    @classmethod
    def read(cls, raw: object) -> Self:
        """The item from words or a mapping; raises BadValue."""
        if isinstance(raw, cls):
            return raw
        try:
            return cls.model_validate(dict(raw) if isinstance(raw, Mapping) else raw)
        except ValidationError as error:
            raise _told(cls, error) from None

    def __str__(self) -> str:
        words: list[str] = []
        plain = True
        for name, field in type(self).model_fields.items():
            value = getattr(self, name)
            led = name in self.lead
            if not field.is_required() and value == field.default:
                plain = plain and not led  # what comes after an empty place needs its name
                continue
            if isinstance(value, bool):
                words += [name.replace("_", "-")] if value else []
                continue
            if not (led and plain):
                words.append(name.replace("_", "-"))
            words.append(self._written(value))
            if name in self.units:
                words.append(self.units[name])
        return " ".join(words)

    def _written(self, value: object) -> str:
        if isinstance(value, SecretRef):
            written = value.name
        elif isinstance(value, tuple):
            are_ports = all(isinstance(v, str) and v[-1:].isdigit() for v in value)
            written = ports.fold_ports(value) if are_ports else ",".join(map(str, value))
        else:
            written = str(value)
        keyword = written.lower() in {n.replace("_", "-") for n in type(self).model_fields}
        quoted = keyword or not written or (re.search(r"[\s;,]", written) and isinstance(value, str))
        return f'"{written}"' if quoted else written


def _told(cls: type[Item], error: ValidationError) -> BadValue:
    """What pydantic found, as what is wrong and what to write."""
    first = error.errors()[0]
    field = str(first["loc"][-1]).replace("_", "-") if first["loc"] else ""
    example = f"write it like {cls.example}"
    if first["type"] == "extra_forbidden" and first["input"] is None:
        quoted = f'quote the value that has the comma: {{text: "one, {field}"}}'
        return BadValue(f"{field!r} has no value: within braces a comma ends a value", quoted)
    if first["type"] == "extra_forbidden":
        return BadValue(f"nothing here is called {field!r}{did_you_mean(field, cls.model_fields)}", example)
    if first["type"] == "missing":
        return BadValue(f"it does not say its {field}", example)
    cause = first.get("ctx", {}).get("error")
    if isinstance(cause, BadValue):
        what, do = cause.what, cause.do or example
    else:
        what, do = str(cause or first["msg"]), example
    return BadValue(f"{field}: {what}" if field else what, do)


class Items(Generic[ItemT]):
    """A parser for lists of items: of YAML, or in one cell with semicolons between them. It tells its model."""

    def __init__(self, kind: type[ItemT]) -> None:
        self.kind = kind

    def __call__(self, raw: object) -> tuple[ItemT, ...]:
        kind = self.kind
        if isinstance(raw, str):
            listed: list[Any] = [part for part in _split(raw) if part.strip()]
        elif isinstance(raw, Mapping) and not set(map(str, raw)) & set(kind.model_fields):
            listed = [_keyed(kind, key, body) for key, body in raw.items()]
        else:
            listed = list(raw) if isinstance(raw, list | tuple) else [raw]
        found = tuple(kind.read(item) for item in listed)
        if len(set(found)) != len(found):
            raise BadValue("the same entry stands twice", "remove one")
        return found


def items(kind: type[ItemT]) -> Items[ItemT]:
    """A parser for lists of items."""
    return Items(kind)


def kind_of(parse: Callable[[Any], Any]) -> type[Item] | None:
    """The model that a setting's parser reads, a list of it or one; None for a value without parts."""
    kind = parse.kind if isinstance(parse, Items) else getattr(parse, "__self__", None)
    return kind if isinstance(kind, type) and issubclass(kind, Item) else None


def _keyed(cls: type[Item], key: object, body: object) -> Any:
    """`{20: staff}` and `{1-16: {mode: access}}` are items whose first part is the key."""
    if isinstance(body, Mapping):
        return {cls.lead[0]: key, **body}
    return f"{key} {body}"


def _split(cell: str) -> list[str]:
    """At semicolons, line ends, and commas before a blank, but not inside quotes."""
    pieces = re.split(r'("[^"]*")', cell)
    parts = [""]
    for piece in pieces:
        if piece.startswith('"'):
            parts[-1] += piece
            continue
        first, *rest = _BETWEEN.split(piece)
        parts[-1] += first
        parts += rest
    return parts
