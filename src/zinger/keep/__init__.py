"""The keep room: what must not be lost or leaked: journal, vault, recordings, and the job folder."""

from zinger.keep.folder import ChangedOutside, JobFolder, JobFolderError, Locked, create_job, write_whole
from zinger.keep.journal import Entry, Journal, JournalError
from zinger.keep.mask import Masker
from zinger.keep.recording import Event, Recording, RecordingError, events_of
from zinger.keep.vault import Vault, VaultError, make_secret

__all__ = [
    "ChangedOutside",
    "Entry",
    "Event",
    "JobFolder",
    "JobFolderError",
    "Journal",
    "JournalError",
    "Locked",
    "Masker",
    "Recording",
    "RecordingError",
    "Vault",
    "VaultError",
    "create_job",
    "events_of",
    "make_secret",
    "write_whole",
]
