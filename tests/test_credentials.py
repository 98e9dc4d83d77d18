"""Credentials: who has which entry, colleagues who can open the vault, and a password that is changed on the device."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pyrage
import pytest

from tests.conftest import ONE_DEVICE, zinger
from zinger.plan.values.secrets import SecretRef
from zinger.run.openjob import OpenJob
from zinger.run.steering import not_done
from zinger.store.folder import JobFolder
from zinger.store.vault import BEFORE, Vault, VaultError

ENTRY = "kvr-wj-sw1/administrator"


def test_a_password_is_changed_on_the_device_and_the_old_one_kept_until_the_new_is_proved(
    job: Callable[..., Path],
) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\nlinger: 90\n")
    first = zinger("run", folder, "--headless", "--keep-yard", "--no-power-cut")
    assert first.returncode == 0, first.stdout + first.stderr
    vault = Vault(folder / "vault.age")
    old = vault.get(SecretRef(ENTRY))
    done = zinger("secret", folder, ENTRY, "--rotate")
    assert done.returncode == 0, done.stderr
    new = vault.get(SecretRef(ENTRY))
    assert (new != old, vault.get(SecretRef(ENTRY + BEFORE))) == (True, old)
    assert "is being changed already" in zinger("secret", folder, ENTRY, "--rotate").stderr
    opened = OpenJob(JobFolder(folder))
    assert not_done(opened) == ["kvr-wj-sw1"]
    assert opened.board.lines["kvr-wj-sw1"].sentence == "1 new password to be sent; run it"
    assert "being changed" in zinger("secret", folder).stdout
    again = zinger("run", folder, "--headless", "--not-done", "--no-power-cut", "--json")
    assert again.returncode == 0, again.stdout + again.stderr
    assert SecretRef(ENTRY + BEFORE) not in vault and vault.get(SecretRef(ENTRY)) == new
    rows = {row["entry"]: row for row in json.loads(zinger("secret", folder, "--json").stdout)}
    first = rows["kvr-wj-sw1/factory account"]
    assert first["proved_at"] is None and first["used_at"], "it let Zinger in, which is less than proved"
    assert "signed in 20" in zinger("secret", folder).stdout
    assert rows[ENTRY]["account"] == "kettle-admin" and rows[ENTRY]["proved_at"] and not rows[ENTRY]["rotating"]
    everything = b"".join(p.read_bytes() for p in folder.rglob("*") if p.is_file() and p.name != "flash.json")
    assert old.encode() not in everything and new.encode() not in everything
    assert "no device is sent" in zinger("secret", folder, "nobody/at all", "--rotate").stderr


def test_a_colleague_opens_the_vault_by_their_own_key(tmp_path: Path) -> None:
    theirs = pyrage.x25519.Identity.generate()
    (tmp_path / "theirs.txt").write_text(f"{theirs}\n")
    mine = Vault(tmp_path / "vault.age")
    mine.put({SecretRef("a"): "first"})
    with pytest.raises(VaultError, match="can't be opened"):
        Vault(tmp_path / "vault.age", tmp_path / "theirs.txt")
    with pytest.raises(VaultError, match="not a public age key"):
        mine.add_recipient("age1nonsense", "nobody")
    mine.add_recipient(str(theirs.to_public()), "Ada")
    colleague = Vault(tmp_path / "vault.age", tmp_path / "theirs.txt")
    assert colleague.get(SecretRef("a")) == "first"
    mine.put({SecretRef("b"): "second"})
    assert colleague.get(SecretRef("b")) == "second" and mine.since("b") is not None
    assert mine.recipients() == {str(theirs.to_public()): "Ada"}
    colleague.put({SecretRef("c"): "third"})
    assert mine.get(SecretRef("c")) == "third", "who shared it is not locked out by a colleague's change"
    mine.remove_recipient(str(theirs.to_public()))
    with pytest.raises(VaultError, match="can't be opened"):
        Vault(tmp_path / "vault.age", tmp_path / "theirs.txt")


def test_the_paper_of_credentials_is_written_sealed_and_nothing_of_it_in_clear(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE)
    vault = Vault(folder / "vault.age")
    vault.put({SecretRef(ENTRY): "only-in-here-77"})
    for words in ((ENTRY, "--sealed"), (ENTRY, "--share", "age1x"), ("--rotate",), ("--show",)):
        refused = zinger("secret", folder, *words)
        assert refused.returncode == 2 and " is about " in refused.stderr, words
    done = zinger("secret", folder, "--sealed")
    assert done.returncode == 0, done.stderr
    sealed = folder / "handover/credentials.pdf.age"
    assert sealed.read_bytes().startswith(b"age-encryption.org/v1") and b"only-in-here" not in sealed.read_bytes()
    assert vault.unseal(sealed).startswith(b"%PDF")
    assert (sealed.stat().st_mode & 0o777, list(sealed.parent.glob("*.pdf"))) == (0o600, [])


def test_a_change_that_ended_before_it_was_written_down_locks_nobody_out(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\nlinger: 90\n")
    assert zinger("run", folder, "--headless", "--keep-yard", "--no-power-cut").returncode == 0
    vault = Vault(folder / "vault.age")
    vault.rotate(SecretRef(ENTRY), None)  # and then the power of the laptop went
    again = zinger("run", folder, "--headless", "--no-power-cut")
    assert again.returncode == 0, again.stdout + again.stderr
    assert SecretRef(ENTRY + BEFORE) not in vault
