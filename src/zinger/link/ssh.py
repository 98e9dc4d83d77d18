"""SSH links (RFC 4253, 4254) by asyncssh: a shell on a pseudo-terminal, signed in with a password."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from zinger.link.base import AuthRefused, Link, LinkError, Refused, Unreachable

if TYPE_CHECKING:
    import asyncssh

LOGIN_PATIENCE = 20.0


@dataclass(frozen=True)
class HostKey:
    """The far end's key by its fingerprint (RFC 4255 style SHA-256, as OpenSSH prints it)."""

    fingerprint: str


class SshLink(Link):
    """One shell session over SSH."""

    def __init__(self, name: str, connection: asyncssh.SSHClientConnection) -> None:
        super().__init__(name)
        self._connection = connection
        self._channel: Any = None
        key = connection.get_server_host_key()
        self.host_key = HostKey(key.get_fingerprint() if key else "unknown")

    async def begin(self) -> None:
        """Open the shell."""
        import asyncssh

        link = self

        class Session(asyncssh.SSHClientSession[bytes]):
            def data_received(self, data: bytes, datatype: int | None) -> None:
                link.heard(data)

            def connection_lost(self, exc: Exception | None) -> None:
                link.ended(str(exc) if exc else "the far end closed it")

        self._channel, _ = await self._connection.create_session(
            Session, term_type="vt100", term_size=(80, 24), encoding=None)

    def write(self, data: bytes) -> None:
        if self._channel and not self._channel.is_closing():
            self._channel.write(data)

    def close(self) -> None:
        self._lost = "closed"
        self._connection.close()


async def open_ssh(host: str, port: int, user: str, password: str, name: str) -> SshLink:
    """Sign in and open a shell; raises AuthRefused, Refused, Unreachable or LinkError.

    Only the password given is tried: no keys, no agent, no configuration of this machine.
    """
    import asyncssh  # here, since it takes long to load and many a start needs none of it

    try:
        connection = await asyncio.wait_for(
            asyncssh.connect(host, port, username=user, password=password, known_hosts=None, client_keys=None,
                             agent_path=None, config=None, gss_host=None,
                             preferred_auth="password,keyboard-interactive"), LOGIN_PATIENCE)
        link = SshLink(name, connection)
        await asyncio.wait_for(link.begin(), LOGIN_PATIENCE)
    except asyncssh.PermissionDenied:
        raise AuthRefused(f"{name}: sign-in of {user} was refused") from None
    except ConnectionRefusedError:
        raise Refused(f"{name}: nobody listens there") from None
    except TimeoutError:
        raise Unreachable(f"{name}: no answer within {LOGIN_PATIENCE:.0f} s") from None
    except OSError as error:
        raise Unreachable(f"{name}: {error.strerror or error}") from None
    except asyncssh.Error as error:
        raise LinkError(f"{name}: {error.reason}") from None
    return link
