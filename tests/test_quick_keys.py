"""What keeps a key quick: lists that draw only what changed, memory that is set apart, silence that is not guessed."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Hashable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from rich.text import Text
from textual.app import App, ComposeResult
from textual.strip import Strip
from textual.widgets._toast import Toast

from tests.test_run_parts import Loop, pump
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.terminal import typed
from zinger.run.board import Mark
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.turns import Turns
from zinger.store.folder import JobFolder
from zinger.store.transcript import Transcript
from zinger.talk.errands.ask import do, look
from zinger.talk.requests import Answer, Errand
from zinger.tui import collecting
from zinger.tui.app import ZingerApp
from zinger.tui.choosing import ChoiceDialog
from zinger.tui.console import Console
from zinger.tui.hands import NEXT_DIGIT, HandsTitle
from zinger.tui.linemap import LineMap
from zinger.tui.lineup import LineUp, tiled
from zinger.tui.look import BRASS, GREEN, ROSE, pen
from zinger.tui.rows import Rows
from zinger.tui.typing_guard import ENDS, GuardedApp


class Words(Rows):
    """A list of words; remembers which lines it was asked to draw."""

    def __init__(self, words: list[str]) -> None:
        super().__init__()
        self.words, self.asked = words, list[int]()

    def count(self) -> int:
        return len(self.words)

    def stamp(self, index: int) -> Hashable:
        return self.words[index]

    def draw(self, index: int, width: int) -> Text | tuple[Text | Strip, ...]:
        self.asked.append(index)
        word = self.words[index]
        if index:
            return Text(word, GREEN)
        return (
            Text("first ", pen(ROSE)),
            Strip(Text.assemble((word, BRASS)).render(self.app.console)),
            Text(" last", GREEN),
        )


class Shown(App[None]):
    """One list, on all of the screen."""

    CSS = "Words { height: 1fr; overflow-x: hidden; }"

    def __init__(self, words: list[str]) -> None:
        super().__init__()
        self.list = Words(words)

    def compose(self) -> ComposeResult:
        yield self.list


async def test_every_piece_of_a_line_keeps_its_own_colour() -> None:
    app = Shown(["one", "two", "three"])
    async with app.run_test(size=(40, 10)) as pilot:
        await pilot.pause()

        def colours(index: int) -> dict[str, str | None]:
            pieces = [(piece.text.strip(" ▌"), piece.style) for piece in app.list.render_line(index)]
            return {word: style.color.name if style and style.color else None for word, style in pieces if word}

        assert colours(0) == {"first": ROSE, "one": BRASS, "last": GREEN} and colours(1) == {"two": GREEN}
        narrow = app.list._strip(0, 8, False)
        assert narrow.text == " first …" and narrow.cell_length == 8


async def test_only_the_lines_that_changed_are_drawn_again() -> None:
    app = Shown([f"word {n}" for n in range(8)])
    async with app.run_test(size=(40, 10)) as pilot:
        rows = app.list
        rows.focus()
        await pilot.pause()
        rows.redraw_changed()
        await pilot.pause()
        rows.asked.clear()
        rows.words[5] = "another"
        rows.redraw_changed()
        await pilot.pause()
        assert rows.asked == [5] and "another" in rows.render_line(5).text
        rows.asked.clear()
        await pilot.press("down")
        await pilot.pause()
        assert sorted(rows.asked) == [0, 1] and rows.render_line(1).text.startswith("▌")


async def test_a_list_that_grows_and_shrinks_scrolls_to_its_end_and_never_beyond_it() -> None:
    app = Shown(["word"])
    async with app.run_test(size=(40, 10)) as pilot:
        rows = app.list

        async def with_words(count: int) -> None:
            rows.words = [f"word {n}" for n in range(count)]
            rows.redraw()
            await pilot.pause()

        await with_words(30)
        assert rows.show_vertical_scrollbar
        await with_words(60)  # no layout is needed for this
        rows.action_ends(-1)
        await pilot.pause()
        assert rows.scroll_offset.y == 50 and "word 59" in rows.render_line(9).text
        assert rows.vertical_scrollbar.window_virtual_size == 60
        await with_words(20)
        assert rows.scroll_offset.y == 10 and rows.cursor == 19 and "word 19" in rows.render_line(9).text
        await with_words(4)
        assert rows.scroll_offset.y == 0 and not rows.show_vertical_scrollbar


def test_memory_that_takes_long_to_look_through_is_set_apart_until_nobody_types(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock = SimpleNamespace(now=0.0, work=0.0, takes=0.2, key=0.0)
    done: list[str] = []

    def collect() -> None:
        clock.work += clock.takes
        done.append("collect")

    memory = SimpleNamespace(
        get_threshold=lambda: (700, 10, 10),
        set_threshold=lambda *those: None,
        get_count=lambda: (0, 0, 9),
        collect=collect,
        freeze=lambda: done.append("freeze"),
        unfreeze=lambda: done.append("unfreeze"),
    )
    monkeypatch.setattr(collecting, "gc", memory)
    monkeypatch.setattr(
        collecting, "time", SimpleNamespace(monotonic=lambda: clock.now, perf_counter=lambda: clock.work)
    )
    looks: list[Callable[[], None]] = []
    app: Any = SimpleNamespace(set_interval=lambda every, what: looks.append(what))
    collecting.collect_while_nobody_types(app, lambda: clock.key)

    def at(now: float, key: float, takes: float) -> list[str]:
        clock.now, clock.key, clock.takes = now, key, takes
        done.clear()
        looks[0]()
        return list(done)

    assert at(10, 9.8, 0.2) == []  # somebody types
    assert at(11, 9.8, 0.2) == ["collect", "freeze"]
    assert at(12, 9.8, 0.001) == ["collect"]
    assert at(43, 42.9, 0.001) == ["collect"]  # at the latest, whoever types
    assert at(120, 43, 0.2) == ["unfreeze", "collect", "freeze"]
    assert at(121, 43, 0.001) == ["collect"]  # once, until a key comes again


class Held(Turns):
    """Turns that come when they are let."""

    def __init__(self) -> None:
        super().__init__()
        self.held: list[Callable[[], None]] | None = None

    def soon(self, work: Callable[[], None]) -> None:
        if self.held is None:
            work()
        else:
            self.held.append(work)

    def let(self) -> None:
        held, self.held = self.held or [], None
        for work in held:
            work()


async def test_an_answer_that_waits_for_its_turn_is_no_silence(quern: Phrasebook) -> None:
    link = Loop([b"tell all"])
    carried = pump(quern, link)
    carried._turns = turns = Held()

    def reading() -> Errand[Answer]:
        at = yield from look(1.0)
        return (yield from do(typed("tell all"), frozenset({at.name}), "reading", 0.2))

    going = asyncio.create_task(carried.do(reading()))
    await asyncio.sleep(0)
    link.heard(b"sw in base, do: ")
    while not link.sent.endswith(b"all\r"):
        await asyncio.sleep(0.005)
    turns.held = []
    while not turns.held:  # until the time at which it would press Enter
        await asyncio.sleep(0.005)
    link.heard(b"\r\nidentity\r\nsw in base, do: ")
    turns.let()
    assert (await going).lines == ("identity",) and link.sent.endswith(b"tell all\r")


@pytest.mark.parametrize(
    "words", ["it shows '[/foo]'", "[red]as it is[/red]", "[@click=app.quit]press here[/]", "an end \\", "[[", "[bold"]
)
async def test_what_strangers_wrote_is_told_as_it_is_written(words: str) -> None:
    app = GuardedApp()
    async with app.run_test(notifications=True) as pilot:
        app.notify(words, title=words)
        app.screen.notify(words)
        await pilot.pause(0.1)
        told = [str(toast.render()) for toast in app.screen.query(Toast)]
        assert told == [f"{words}\n{words}", words]


async def test_enter_behind_a_word_typed_at_a_list_takes_nothing() -> None:
    taken: list[object] = []

    class Asks(GuardedApp):
        def on_mount(self) -> None:
            self.push_screen(ChoiceDialog("begin?", [("run", "run it"), ("no", "not now")]), taken.append)

    app = Asks()
    async with app.run_test(size=(60, 20)) as pilot:
        await pilot.pause()
        await pilot.press(*"prove", "enter")
        await pilot.pause()
        assert taken == [], "it stands on the first choice, and that is not what was typed"
        await asyncio.sleep(ENDS)
        await pilot.press("enter")
        await pilot.pause()
        assert taken == ["run"]


async def test_the_key_of_problems_begins_with_who_waits_longest_wherever_the_cursor_stands(
    job: Callable[..., Path],
) -> None:
    app = ZingerApp(lambda: OpenJob(JobFolder(job())), Options())
    async with app.run_test(size=(100, 40)) as pilot:
        while not isinstance(app.screen, LineUp) or not any(shown.selected for shown in app.screen.query(LineMap)):
            await pilot.pause(0.05)
        line_up, lines, list_ = app.screen, app.job.board.lines, app.screen.query_one(LineMap)
        for name, mood, since in (
            ("kvr-wj-sw1", Mark.DIFFERS, 0.0),
            ("kvr-wj-fw1", Mark.NEEDS_YOU, 20.0),
            ("kvr-cb-rt1", Mark.NEEDS_YOU, 10.0),
        ):
            lines[name].say("so", mood)
            lines[name].waits_since = since
        led = []
        for turn in range(5):
            if turn == 4:
                list_.select("kvr-wj-sw1")
            line_up.action_next()
            led.append(list_.selected)
            await pilot.pause()
            if isinstance(app.screen, ChoiceDialog):
                app.pop_screen()
                await pilot.pause()
        first, *others = ("kvr-cb-rt1", "kvr-wj-fw1", "kvr-wj-sw1")
        assert led == [first, *others, first, first], "round, and from the beginning where the cursor was moved"


async def test_of_more_than_a_few_choices_one_is_found_by_typing() -> None:
    taken: list[object] = []
    words = [*"abcdef", "run, and prove, with a power cut", "prove only"]
    app = GuardedApp()
    async with app.run_test(size=(60, 20)) as pilot:
        app.push_screen(ChoiceDialog("what?", [(word, word) for word in words]), taken.append)
        await pilot.pause()
        await pilot.press(*"cut prov", "enter")
        await pilot.pause()
        app.push_screen(ChoiceDialog("what?", [(word, word) for word in words]), taken.append)
        await pilot.pause()
        await pilot.press(*"prove", "enter")
        await pilot.pause()
        assert taken == ["run, and prove, with a power cut", "prove only"], "what begins with it comes first"


async def test_one_click_chooses_in_a_dialog_whichever_choice_it_is() -> None:
    taken: list[object] = []
    app = GuardedApp()
    async with app.run_test(size=(60, 20)) as pilot:
        for choice in (0, 1):
            app.push_screen(ChoiceDialog("begin?", [("run", "run it"), ("no", "not now")]), taken.append)
            await pilot.pause()
            await pilot.click("#choices", offset=(5, choice))
            await pilot.pause()
        assert taken == ["run", "no"]


async def test_a_list_as_high_as_it_is_long_gives_its_room_back() -> None:
    app = Shown([f"word {n}" for n in range(8)])
    app.CSS = "Words { height: auto; max-height: 70%; }"
    async with app.run_test(size=(40, 20)) as pilot:
        await pilot.pause()
        assert app.list.size.height == 8
        for count in (3, 11):
            app.list.words = app.list.words[:3] * 4
            del app.list.words[count:]
            app.list.redraw()
            await pilot.pause()
            assert app.list.size.height == count


async def test_a_wire_whose_pane_becomes_lower_still_shows_its_end_unless_somebody_looked_back() -> None:
    line = SimpleNamespace(transcript=Transcript(), evidence=set(), version=0)
    line.transcript.add(b"".join(b"line %d\r\n" % n for n in range(60)))

    class Wire(App[None]):
        CSS = "Console { height: 1fr; overflow-x: hidden; }"

        def compose(self) -> ComposeResult:
            yield Console()

    async with Wire().run_test(size=(60, 30)) as pilot:
        console = pilot.app.query_one(Console)

        async def shown() -> str:
            console.show(line, None)  # type: ignore[arg-type]
            await pilot.pause()
            console.see_cursor()
            await pilot.pause()
            return "\n".join(console.render_line(y).text for y in range(console.size.height))

        assert "line 59" in await shown()
        await pilot.resize_terminal(60, 8)
        assert "line 59" in await shown()
        line.transcript.add(b"more\r\n")
        assert "more" in await shown()
        console.scroll_to(y=5, animate=False)
        await pilot.pause()
        line.transcript.add(b"still more\r\n")
        assert "still more" not in await shown() and "line 6" in await shown()


@pytest.mark.parametrize(
    ("before", "waiting", "going", "room", "shown"),
    [
        ([], [], ["a", "b", "c", "d"], 3, ["a", "b", "c"]),
        (["a", "b", "c"], [], ["d", "c", "b"], 3, ["d", "b", "c"]),  # who goes on being shown keeps its place
        (["a", "b", "c"], ["x"], ["a", "b", "c"], 3, ["a", "b", "x"]),
        (["a", "b", "c"], ["x", "y"], ["a"], 1, ["x"]),
        (["a", "b", "c"], [], ["c"], 2, ["c"]),
        (["a", "b"], [], [], 3, []),
        (["a"], [], ["a", "b"], 0, []),
    ],
)
def test_further_wires_show_who_needs_a_person_and_change_places_with_nobody(
    before: list[str], waiting: list[str], going: list[str], room: int, shown: list[str]
) -> None:
    assert tiled(before, waiting, going, room) == shown


async def test_the_number_of_an_act_is_typed_whole_seventeen_is_never_one_and_then_seven() -> None:
    did: list[int] = []

    class Titled(App[None]):
        def compose(self) -> ComposeResult:
            yield HandsTitle(did.append)

    app = Titled()
    async with app.run_test() as pilot:
        title = app.query_one(HandsTitle)
        acts = {number: SimpleNamespace(number=number) for number in (1, 2, 7, 10, 17)}
        title.hands = SimpleNamespace(asked=acts)  # type: ignore[assignment]
        for typed in ("17", "2", "10", "0"):
            for digit in typed:
                title.digit(digit)
        assert did == [17, 2, 10]
        title.digit("1")
        assert did == [17, 2, 10] and "1_" in str(title.render()), "it may be the first of 17"
        await pilot.pause(NEXT_DIGIT + 0.2)
        assert did == [17, 2, 10, 1]
