"""The store room: what must not be lost or leaked: journal, vault, recordings, and the job folder."""
