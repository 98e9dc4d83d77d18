"""The one root of what can go wrong in the world; everything else that is raised is a fault of ours.

    ZingerError
    ├── UnreadableError        a file of the plan that can't be read at all                  plan/files
    ├── PhrasebookError        a phrasebook that can't be used, with all its problems        phrasebook
    ├── WordsError             a template or value that can't be sent                        phrasebook
    ├── TalkError              a conversation that can't go on as it is                      talk
    │   ├── Stuck              a person is needed
    │   ├── RefusedByDevice    the device said no
    │   └── Interrupted        a restart, a lost link: look again and go on
    │       └── TakenOver      a person took the wire                                        run
    ├── LinkError              a way that does not lead to the device                        link
    │   ├── Refused            nobody listens there
    │   ├── Unreachable        nobody is there
    │   ├── AuthRefused        the sign-in is not accepted
    │   └── YardError          the practice yard said no
    ├── FileError              a file that can't be read or written                          files
    ├── JobFolderError         not a job, or it can't be used                                store
    │   ├── Locked             another Zinger works on it
    │   └── ChangedOutside     somebody else changed the plan's files
    ├── JournalError           the journal can't be read or written                          store
    ├── VaultError             the vault can't be opened or written                          store
    ├── RecordingError         not a recording, or it can't be read                          store
    └── RunError               a run that can't begin                                        run
        └── HandsNeeded        a person's hands are needed and nobody is there

Every message is a sentence for a person: what happened, where, what to do. Exceptions of libraries and of the system
are translated once, at the border where they are met (`link/`, `store/`, `files`), never further in. Errors that are
values (a plan's problems, a refusal in an answer) are not raised at all: see `plan.Problem`, `talk.Answer`.

A common root was chosen over a list of expected classes at each catcher: the list was kept in three places and was
never complete.
"""

from __future__ import annotations


class ZingerError(Exception):
    """Something expected went wrong; the message is a sentence for a person."""
