"""The keep room: what must not be lost or leaked: journal, vault, recordings, and the job folder."""

from zinger.keep.folder import JobFolder, JobFolderError, Locked
from zinger.keep.journal import Entry, Journal, JournalError
from zinger.keep.mask import Masker
from zinger.keep.recording import Recording
from zinger.keep.vault import Vault, VaultError, make_secret

__all__ = [
    "Entry", "JobFolder", "JobFolderError", "Journal", "JournalError", "Locked", "Masker", "Recording", "Vault",
    "VaultError", "make_secret",
]
