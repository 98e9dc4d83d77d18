"""What a phrasebook leaves unproved, or unheard: told by `family check` before a device is in the state for it."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import AsksFor
from zinger.phrasebook.patterns import sample
from zinger.phrasebook.terminal import HALF_TYPED
from zinger.plan.problems import Problem, Spot, error_at, warning_at

ACCOUNTS = ("accounts.administrator", "accounts.second", "accounts.operator", "accounts.viewer")


def doubts(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Every doubt about a phrasebook."""
    yield from _noise_hides(book, file)
    yield from _nobody_named(book, file)
    yield from _password_not_tried(book, file)
    yield from _save_not_shown(book, file)
    yield from _restart_not_seen(book, file)


def _accounts(book: Phrasebook) -> list[str]:
    return [name for name in ACCOUNTS if name in book.steps]


def _noise_hides(book: Phrasebook, file: str) -> Iterator[Problem]:
    """A pattern of log lines that matches what is to be heard: it would be taken out of every answer."""
    noise = book.terminal.noise
    heard = {
        f"places.{name}": sample(sign.pattern.pattern.removesuffix(HALF_TYPED).removesuffix("$"))
        for name, sign in book.terminal.signs.items()
    }
    heard |= {
        f"readings.{name}.take.{fact}": sample(take.pattern.pattern)
        for name, reading in book.readings.items()
        for fact, take in reading.take.items()
        if not take.columns
    }
    heard |= {f"refusals.{n}": sample(refusal.pattern) for n, refusal in enumerate(book.terminal.refusals)}
    heard |= {f"{path}.expect": sample(step.how.expect.pattern) for path, step in book.every_step() if step.how.expect}
    hidden = [(path, text) for path, text in heard.items() if text.strip() and noise.search(text)]
    if hidden:
        path, text = hidden[0]
        more = f", and {len(hidden) - 1} more" if len(hidden) > 1 else ""
        yield error_at(
            "noise-hides",
            Spot(file, None, "noise"),
            f"a pattern of log lines matches {text!r} too, which is {path}{more}",
            "Make it say more of what a log line begins with",
        )


def _nobody_named(book: Phrasebook, file: str) -> Iterator[Problem]:
    """A password is asked for, of nobody: whose it is can't be known."""
    if book.map.asking(AsksFor.USER) is not None or len(_accounts(book)) < 2:
        return
    for name, place in book.places.items():
        sign = book.terminal.signs.get(name)
        named = any(AsksFor.USER.word in move.act.uses for move in book.map.moves_from(name))
        if place.asks_for is AsksFor.PASSWORD and not named and (sign is None or "user" not in sign.pattern.groupindex):
            yield warning_at(
                "nobody-named",
                Spot(file, None, f"places.{name}"),
                f"{name} asks for a password, and no place asks for the account, so it can't be told whose is taken",
                "Say asks_for: console password, or capture the account with (?P<user>...)",
            )


def _password_not_tried(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Accounts are made, and no way in can try their passwords."""
    door = book.map.asking(AsksFor.USER) or book.map.asking(AsksFor.PASSWORD)
    leaves = door is not None and book.map.next_move(book.home, door, book.map.every_name) is not None
    over = book.rules.proved_over
    if "services.ssh" in over or (book.pages is not None and f"services.{book.pages.scheme}" in over) or leaves:
        return
    for name in _accounts(book):
        if book.steps[name].tries is None:
            yield warning_at(
                "password-not-tried",
                Spot(file, None, f"settings.{name}"),
                "nothing can sign in with this account's password, so it will be owed",
                "Add the move that signs out on the console, SSH to proved_over, or tries",
            )


def _save_not_shown(book: Phrasebook, file: str) -> Iterator[Problem]:
    """It is saved, and nothing shows what was: only a restart or a power cut can."""
    if book.saves and not book.startup_facts:
        yield warning_at(
            "save-not-shown",
            Spot(file, None, "save"),
            "nothing reads the startup state, so what was saved shows after a power cut only",
            "Give a reading startup, where the device can show what it starts with",
        )


def _restart_not_seen(book: Phrasebook, file: str) -> Iterator[Problem]:
    """A power cut on a console must be seen, else it proves nothing."""
    signs_in = any(place.asks_for is not None for place in book.places.values())
    if book.factory.console and not book.terminal.shows_boot and not signs_in:
        yield warning_at(
            "restart-not-seen",
            Spot(file, None, "boot"),
            "it shows no boot and asks nobody to sign in, so a restart can't be seen on its console",
            "Give the lines that only a boot shows: boot",
        )
