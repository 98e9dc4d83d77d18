"""A run over an open job, many devices at once."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Sequence
from contextlib import AsyncExitStack
from dataclasses import replace
from typing import TYPE_CHECKING

from zinger.errors import ZingerError
from zinger.link import ssh
from zinger.link.dial import LiveDialer
from zinger.link.hostkeys import HostKeys
from zinger.link.yard import Yard, YardDialer, YardError
from zinger.plan.model import Device
from zinger.plan.revision import revision_of
from zinger.plan.subjects.accounts.credentials import needed_secrets
from zinger.plan.values.console import Console
from zinger.plan.values.secrets import SecretRef
from zinger.run.board import Mark
from zinger.run.carrier import Carrier
from zinger.run.claims import Claims
from zinger.run.consolewire import ConsoleWire
from zinger.run.credentials import settled, unfinished
from zinger.run.hands import AHEAD, Hands, RunError
from zinger.run.leaselists import lease_lists
from zinger.run.memory import remember
from zinger.run.newnames import NewNames, by_present_names, carry_over
from zinger.run.onwire import Assignment, OnWire
from zinger.run.openjob import PLAN_CHANGED, OpenJob, show_notes
from zinger.run.options import Options
from zinger.run.outlook import bench_kind, bench_with, stages_of, works_of
from zinger.run.pageswire import PagesWire
from zinger.run.practice import YardHands, deliver, find_or_start
from zinger.run.steering import Manner, take_in
from zinger.run.terms import Terms
from zinger.run.trace import TraceFile
from zinger.run.turns import Turns
from zinger.run.world import World
from zinger.schedule.outlook import foresee
from zinger.store import entries
from zinger.store.allowed import is_allowed
from zinger.store.durations import Durations
from zinger.store.vault import Vault
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.store.journal import Journal


LOOKS_AHEAD_EVERY = 4.0
"""Seconds between two forecasts."""
HEAR_EVERY = 0.5
"""Seconds between two looks whether another terminal said that an act is done."""


class Run:
    """One run over a job: owns the journal, the vault and the devices' tasks."""

    def __init__(self, job: OpenJob, options: Options, turns: Turns | None = None) -> None:
        """`turns` are those of all that goes on in this process, where there is more than this run."""
        self.job, self.options, self._turns = job, options, turns or Turns()
        ahead = AHEAD if options.hands_done else frozenset()
        self.hands = Hands(within=options.hands_within, ahead=ahead, by_person=options.by_person)
        self.carriers: dict[str, Carrier] = {}
        self.tasks: dict[str, asyncio.Task[None]] = {}
        self.journal: Journal | None = None
        self.claims: Claims | None = None
        self.world: World | None = None
        self.yard: Yard | None = None
        self.ended: Callable[[asyncio.Task[None]], None] | None = None
        """Told of each device's task that ended, begun anew or not: its error must reach somebody."""
        self.news: list[str] = []
        """Sentences for a person about the run as a whole."""
        self._trace: TraceFile | None = None
        self._listening: asyncio.Task[None] | None = None
        self._foreseeing: asyncio.Task[None] | None = None

    def devices(self) -> list[Device]:
        """The devices that this run is about; raises RunError for unknown names or a plan with faults."""
        return self._wanted(list(self.options.only))

    def _wanted(self, names: Sequence[str]) -> list[Device]:
        """These devices, or all that can be spoken to and are not left out; raises RunError."""
        plan = self.job.plan
        known = [d.name for d in plan.devices]
        for name in names:
            if name not in known:
                raise RunError(f"the plan has no device {name}; it has {', '.join(known) or 'none'}")
        here = {name for name, memory in self.job.memories.items() if not memory.aside}
        wanted = [d for d in plan.devices if (d.name in names if names else d.name in here)]
        for device in wanted:
            if device.name in self.job.unspoken:
                title = next(title for other, title in self.job.board.planned if other.name == device.name)
                raise RunError(
                    f"{device.name} can't be spoken to: {title} has no phrasebook yet; it is planned and checked only"
                )
        faults = [
            p
            for p in plan.problems
            if p in plan.errors() and (not p.devices or any(d.name in p.devices for d in wanted))
        ]
        if faults:
            raise RunError(
                f"{counted(len(faults), 'error')} in the plan; nothing is sent before they are corrected. "
                f"The first: {faults[0]}  (all: zinger check {self.job.folder.path.name})"
            )
        self._allowed(wanted)
        if not wanted:
            raise RunError("the plan has no devices" + (" that can be spoken to" if plan.devices else ""))
        return wanted

    def _allowed(self, wanted: list[Device]) -> None:
        """Raises RunError for a program that the job would start and nobody has looked at; practice starts none."""
        folder, commands = self.job.folder.path, self.job.plan.commands
        consoles = [Console.read(device.console) for device in wanted] if self.job.plan.mode == "live" else []
        for console in consoles:
            command = commands.get(console.host, "") if console.kind == "command" else ""
            if command and not is_allowed(folder, command):
                raise RunError(
                    f"The job starts a program on this machine to reach a console: {command!r}. Look at it, and allow "
                    f"it once: zinger allow {folder.name}"
                )

    async def start(self) -> None:
        """Begin, and send every device on its way."""
        names = [device.name for device in self.devices()]
        await self.begin()
        await self.set_off(names)

    async def begin(self) -> None:
        """Lock the job and open journal, vault and yard; no device is sent on its way."""
        from zinger.store.journal import Journal

        job = self.job
        if planned := job.board.planned:
            titles = ", ".join(dict.fromkeys(title for _, title in planned))
            are = "is" if len(planned) == 1 else "are"
            self.news.append(f"{len(planned)} more {are} planned and checked only; no phrasebook yet for {titles}")
        job.folder.lock()
        self.journal = Journal(job.folder.journal)
        job.take_in(self.journal)
        if job.kept_aside:
            self.news.append(job.kept_aside)
        job.vault = job.vault or Vault(job.folder.vault)
        self.world = await self._world(job.vault, self.journal)
        self._loading = asyncio.create_task(asyncio.to_thread(ssh.load), name="load")
        self.hands.tell = self._note
        for name, event in unfinished(job, job.vault):
            self._note(event, name)
            take_in(job, name, event)
        self._listening = asyncio.create_task(self._listen(self.journal), name="answers from other terminals")
        self._foreseeing = asyncio.create_task(self._foresee(), name="forecast")
        if self.ended is not None:
            self._foreseeing.add_done_callback(self.ended)

    async def set_off(self, names: Sequence[str], manner: Manner | None = None) -> list[str]:
        """Send these devices on their way, those that are not on it already; returns which.

        Passwords that they need and the vault lacks are made first. Raises RunError for a device that can't be carried.
        """
        assert self.world is not None
        job, world = self.job, self.world
        devices = [d for d in self._wanted(names) if d.name not in self.tasks or self.tasks[d.name].done()]
        devices = self._not_held(devices)
        if any(device.name in job.new_names.before for device in devices):
            await self._take_new_names()
        asked = job.plan.password_rules
        rules = {family: job.books[family].rules.asked_of_passwords(asked) for family in {d.family for d in devices}}
        made = world.vault.ensure((ref, rules[d.family]) for d in devices for ref in needed_secrets(d))
        if made:
            await self._write(entries.VaultFilled(made))
            self.news.append(f"{counted(len(made), 'password')} made and put into {job.folder.vault.name}")
        public = (job.families[f].factory.hidden for f in {d.family for d in devices})
        world.secrets = tuple(dict.fromkeys((*world.secrets, *world.vault.secrets(), *public)))
        await self._write(entries.RunBegan([d.name for d in devices], job.board.practice))
        world.claims.expect(device.name for device in devices)
        if self.yard is not None:
            await deliver(self.yard, devices)
        await self.look_ahead([device.name for device in devices])
        devices.sort(key=lambda device: self.hands.importance(device.name))
        for device in devices:
            await self._begin(world, device, manner or self._manner)
        return [device.name for device in devices]

    def _not_held(self, devices: list[Device]) -> list[Device]:
        """These, but for those that wait until a box is through that is in work under its old name.

        Raises RunError where that leaves none.
        """
        new = self.job.new_names
        busy = sorted(name for name, task in self.tasks.items() if name in new.involved and not task.done())
        free = [device for device in devices if not busy or device.name not in new.before]
        if len(free) < len(devices):
            words = f"{', '.join(busy)} is in work under its old name; stop it, or wait until it is through"
            if not free:
                raise RunError(words)
            self.news.append(words)
        return free

    async def _take_new_names(self) -> None:
        """What is known of boxes goes with them to their new names; none of them is in work."""
        assert self.world is not None and self.journal is not None
        job, journal, world, new = self.job, self.journal, self.world, self.job.new_names
        for name in new.involved & set(self.carriers):  # its console has room for one
            for wire in self.carriers[name].wires:
                wire.pump.leave()
            del self.carriers[name], self.tasks[name]
        needed = {ref.name for device in job.plan.devices for ref in needed_secrets(device)}
        event = await asyncio.to_thread(
            carry_over, new, world.vault, needed, world.dialer, (world.records, world.backups)
        )
        await self._write(event)
        happened = by_present_names(await asyncio.to_thread(lambda: list(journal.entries())), job.plan.devices)
        for name in new.involved & set(job.memories):
            job.memories[name] = remember(happened.of.get(name, ()))
            job.renew_line(name)
        job.new_names = NewNames()
        self.news += [f"{old} is called {now} now; what is known of it goes with it" for now, old in new.before.items()]

    async def look_ahead(self, beginning: Sequence[str] = ()) -> None:
        """Work out when the bench is done, with devices that are about to begin, and who comes first where all wait."""
        active = [name for name, carrier in self.carriers.items() if carrier.line.active]
        at, works = time.time(), []
        for work in works_of(self.job, dict.fromkeys([*active, *beginning]), self):
            works.append(work)
            await asyncio.sleep(0)  # a key that was pressed comes first
        bench = bench_with(works)
        before = self.job.board.outlook
        outlook = await asyncio.to_thread(foresee, bench, at, before.forecast.order if before else ())
        order = {name: place for place, name in enumerate(outlook.forecast.order)}
        self.job.board.outlook = outlook if bench.works else None
        self.hands.importance = lambda device: order.get(device, len(order))
        if self.claims is not None:
            self.claims.spots.importance = self.hands.importance

    async def _foresee(self) -> None:
        """Look ahead every few seconds, as long as the run goes on."""
        while True:
            await asyncio.sleep(LOOKS_AHEAD_EVERY)
            await self.look_ahead()

    @property
    def _manner(self) -> Manner:
        wanted = self.options
        return Manner(wanted.sends, wanted.power_cut, wanted.restart, wanted.only_saves)

    async def halt(self, name: str) -> None:
        """Stop a device wherever it is; it keeps the state that it is in, which its line says."""
        task = self.tasks.get(name)
        if task is None or task.done():
            return
        carrier = self.carriers[name]
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        for wire in carrier.wires:
            wire.pump.leave()
        event = entries.Stopped(carrier.state_in_words())
        self._note(event, name)
        take_in(self.job, name, event)
        carrier.line.wait("")
        for stop, mark in carrier.line.stops.items():
            carrier.line.stop(stop, Mark.AHEAD if mark is Mark.NOW else mark)
        carrier.line.say(f"stopped by you · {event.state}", Mark.AHEAD)

    async def steer(self, name: str, event: entries.Happened) -> None:
        """A person decides something about a device: it is written down, and shown; one that is left out is stopped."""
        if isinstance(event, entries.SetAside) and event.why:
            await self.halt(name)
        self._tell_of(name, event)

    def adopt(self, job: OpenJob) -> None:
        """Go on under another plan: devices in work keep theirs, and are told of when they are through.

        Those at rest whose plan is as it was keep their line too: their wire is still theirs to be taken.
        """
        assert self.world is not None
        job.vault, job.board.pace, job.board.outlook = self.job.vault, self.job.board.pace, self.job.board.outlook
        for name, task in self.tasks.items():
            carrier = self.carriers[name]
            if name in job.board.lines and (not task.done() or self._plans_the_same(job, name)):
                job.keep_line(carrier.line, carrier.memory)
            elif not task.done():
                job.keep_leaving(carrier.line, carrier.memory)
                if (now := job.called_now(name)) in job.board.lines and now != name:
                    job.board.lines[now].say(f"in work still, as {name}", Mark.AHEAD)
        self.job, self.world.devices = job, job.plan.devices
        self.world.claims.know(job.plan.devices)

    def _plans_the_same(self, job: OpenJob, name: str) -> bool:
        """Whether another reading of the job plans for a device what its present line shows."""
        old, new = self.job.board.lines.get(name), job.board.lines[name]
        return (
            old is self.carriers[name].line
            and _as_planned(old.device) == _as_planned(new.device)
            and [(row.setting, row.title) for row in old.steps] == [(row.setting, row.title) for row in new.steps]
        )

    async def _listen(self, journal: Journal) -> None:
        """Hear what a person says at another terminal to be done, while something is asked for."""
        last = await asyncio.to_thread(journal.last)
        while True:
            await asyncio.sleep(HEAR_EVERY)
            if self.hands.asked:
                for entry in await asyncio.to_thread(journal.read_after, last):
                    last, event = entry.id, entries.read(entry)
                    if isinstance(event, entries.HandsAnswered):
                        self.hands.answered(event.verb, entry.device, event.cannot)

    async def _begin(self, world: World, device: Device, manner: Manner) -> None:
        job = self.job
        world = replace(
            world, sends=manner.sends, power_cut=manner.power_cut, restart=manner.restart, only_saves=manner.only_saves
        )
        line = job.board.lines[device.name]
        for wire in self.carriers[device.name].wires if device.name in self.carriers else ():
            wire.pump.leave()  # its console has room for one
        line.begin_anew()
        memory = job.memories[device.name]
        show_notes(line, memory)
        book, script = job.books[device.family], job.scripts[device.name]
        wires: list[OnWire] = []
        for part, (of, its) in enumerate(zip(book.parts, script.parts or (script,), strict=True)):
            kind = PagesWire if of.pages is not None else ConsoleWire
            wires.append(kind(Assignment(world, device, of, its, line, memory, part)))
        await wires[0].write(entries.RunBegan(practice=world.practice, sends=manner.sends))
        self.carriers[device.name] = Carrier(wires, memory)
        self._send(device.name)

    def _send(self, name: str) -> None:
        task = self.tasks[name] = asyncio.create_task(self.carriers[name].carry(), name=f"carry {name}")
        task.add_done_callback(lambda _: self._see_plan(name))
        task.add_done_callback(lambda _: self._settle_passwords(name))
        if self.ended is not None:
            task.add_done_callback(self.ended)

    def _settle_passwords(self, name: str) -> None:
        """A password that was changed and is proved now: the one before is dropped."""
        if self.journal is not None and name in self.job.memories:
            try:
                for event in settled(self.job, self.job.vault or Vault(self.job.folder.vault), name):
                    self._note(event, name)
            except ZingerError as error:
                self.news.append(f"the password of before is still in the vault: {error}")

    def _see_plan(self, name: str) -> None:
        """A device that is through, and whose plan was changed meanwhile, is shown under its new one."""
        lines = self.job.board.lines
        if name in self.job.leaving and self.world is not None:
            self.job.let_go(name)
            if line := self.job.board.lines.get(self.job.called_now(name)):
                line.say(PLAN_CHANGED, Mark.AHEAD)
            self.world.devices = self.job.plan.devices
            self.world.claims.know(self.job.plan.devices)
        elif name in lines and lines[name] is self.carriers[name].line:
            now = self.job.plan.device(name)
            if _as_planned(now) != _as_planned(lines[name].device):
                self.job.renew_line(name)

    def again(self, name: str) -> None:
        """Send a device on its way again after it needed a person or differed."""
        if name in self.tasks and self.tasks[name].done():
            if self.world is not None:
                self.world.claims.ask_anew()
            self._send(name)

    def _tell_of(self, name: str, event: entries.Happened) -> None:
        self._note(event, name)
        take_in(self.job, name, event)

    def _note(self, event: entries.Happened, device: str = "") -> None:
        assert self.journal is not None
        kind, data = entries.written(event)
        self.journal.note(kind, device, **data)

    async def _write(self, event: entries.Happened, device: str = "") -> None:
        assert self.journal is not None
        kind, data = entries.written(event)
        await self.journal.write(kind, device, **data)

    async def _world(self, vault: Vault, journal: Journal) -> World:
        job, pace = self.job, 1.0
        if job.board.practice:
            self.yard, pace = await find_or_start(job.folder, job.plan.devices, self.options.pace)
            self.hands.helper = YardHands(
                self.yard, pace, lambda name, secret: vault.put({SecretRef(f"{name}/label"): secret})
            )
        job.board.pace = pace
        self.claims = Claims(self.hands, job.plan.devices, job.board.practice)
        if self.options.trace:
            self._trace = TraceFile(self.options.trace)
        keys, certificates = HostKeys(job.folder.host_keys), HostKeys(job.folder.certificates)
        return World(
            vault=vault,
            journal=journal,
            secrets=tuple(vault.secrets()),
            dialer=YardDialer(self.yard, keys, certificates)
            if self.yard
            else LiveDialer(keys, job.plan.commands, certificates),
            hands=self.hands,
            terms=Terms(self.hands, job.folder.records, job.terms),
            claims=self.claims,
            turns=self._turns,
            records=job.folder.records,
            backups=job.folder.backups,
            pace=pace,
            practice=job.board.practice,
            brings_back=self.options.brings_back,
            stop_after=self.options.stop_after,
            leases=lease_lists(self.options.leases, job.plan, job.folder.path, vault, keys),
            devices=job.plan.devices,
            tell_of=self._tell_of,
            trace_of=self._trace.of if self._trace else lambda device: None,
        )

    async def wait(self) -> None:
        """Wait until every device is proved, differs, or needs a person; a fault of ours is raised."""
        await asyncio.gather(*self.tasks.values())
        for act in self.claims.put_back() if self.claims else ():
            self.hands.mention(act)
            self.news.append(f"{act.do} ({act.why})")

    async def stop(self, end_yard: bool = False) -> None:
        """Stop wherever everything is; devices keep the state that they are in."""
        own = (self._listening, self._foreseeing)
        tasks = [*self.tasks.values(), *(task for task in own if task is not None)]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        async with AsyncExitStack() as last:  # each is done, whatever becomes of the others; the last comes first
            last.callback(self.job.folder.unlock)
            last.callback(self._learn)
            last.push_async_callback(self._leave_yard, end_yard)
            last.callback(self._end_journal)
            for wire in (wire for carrier in self.carriers.values() for wire in carrier.wires):
                last.callback(wire.pump.leave)

    def _learn(self) -> None:
        """Keep how long everything took, for the forecasts of other jobs."""
        through = [c for c in self.carriers.values() if c.memory.concluded_at is not None]
        seen = [s for carrier in through for s in stages_of(carrier.wire.device, carrier.memory)]
        if seen:
            Durations.read().learn(bench_kind(self.job.board.practice, self.job.board.pace), seen)

    def _end_journal(self) -> None:
        """Write down how each device was left."""
        if self._trace:
            self._trace.close()
            self._trace = None
        if self.journal:
            try:
                self._note(entries.RunEnded({n: c.state_in_words() for n, c in self.carriers.items()}))
            finally:
                self.journal.close()
                self.journal = None

    async def _leave_yard(self, end: bool) -> None:
        if self.yard:
            if end:
                await self._end_yard()
            self.yard.close()

    async def _end_yard(self) -> None:
        assert self.yard is not None
        try:
            await self.yard.ask("stop")
        except YardError:
            return

    def proved(self) -> list[str]:
        """The devices that are proved, counted from their findings and nothing else."""
        return [name for name, carrier in self.carriers.items() if carrier.owed.is_proved()]


def _as_planned(device: Device) -> tuple[str, ...]:
    """What changes with every planned value, and with how the device is reached, recognised and found."""
    return revision_of(device), device.console, device.fingerprint, device.location, device.label
