"""SSH links (RFC 4253, 4254) by asyncssh: a shell on a pseudo-terminal, signed in with a password.

The password is given as such (RFC 4252) or at a question that does not echo (keyboard-interactive, RFC 4256). The
far end's key is pinned at first sight; another one later is refused before any password is sent.
"""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from zinger.link.base import AuthRefused, Link, LinkError, OtherKey, Refused, Unreachable, why
from zinger.link.hostkeys import HostKeys

if TYPE_CHECKING:
    import asyncssh

LOGIN_PATIENCE = 20.0
ALIVE_EVERY, ALIVE_MISSES = 5.0, 3
"""Seconds between signs of life that are asked for, and how many may be missing: a device whose power was cut does not
say goodbye."""


def load() -> None:
    """Load the library, which takes a quarter of a second: for a thread, before the first device is dialled."""
    import asyncssh  # noqa: F401


@dataclass(frozen=True)
class Endpoint:
    """Where SSH is dialled, and how."""

    address: str
    port: int = 22
    old: bool = False
    """Whether the key exchange of old devices is offered too."""
    known_as: tuple[str, ...] = ()
    """The names under which the far end's key is pinned: the device first, since its key goes with it to a new
    address; an address only where it can be no other device's."""

    @property
    def spelled(self) -> str:
        """As OpenSSH's known_hosts writes it (sshd(8))."""
        return self.address if self.port == 22 else f"[{self.address}]:{self.port}"


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
        self.address = ""
        """Where it was dialled."""
        self.first_sight = False
        """Whether the far end's key was pinned just now."""
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
            Session, term_type="vt100", term_size=(80, 24), encoding=None
        )

    def send_break(self) -> None:
        """A break (RFC 4335)."""
        if self._channel and not self._channel.is_closing():
            self._channel.send_break(500)

    def write(self, data: bytes) -> None:
        if self._channel and not self._channel.is_closing():
            self._channel.write(data)

    def close(self) -> None:
        self._lost = "closed"
        self._connection.close()


OLD = {
    "kex_algs": ["diffie-hellman-group14-sha1", "diffie-hellman-group1-sha1"],
    "server_host_key_algs": ["ssh-rsa", "ssh-dss"],
    "encryption_algs": ["aes128-cbc", "3des-cbc"],
}
"""Algorithms that only old devices need: added to the current ones where a console or family asks for them."""


def _algorithms(old: bool) -> dict[str, Any]:
    return {name: f"+{','.join(more)}" for name, more in OLD.items()} if old else {}


async def open_ssh(
    host: str, port: int, user: str, password: str, name: str, endpoint: Endpoint, keys: HostKeys | None = None
) -> SshLink:
    """Sign in at a host and port and open a shell; raises AuthRefused, OtherKey, Refused, Unreachable or LinkError.

    `endpoint` says what is dialled in the plan's words, where the host and port can be the yard's.
    """
    first_sight = keys is not None and keys.pinned(endpoint.known_as) is None
    with _translated(name, user, endpoint, keys):
        connection = await _signed_in(host, port, user, password, endpoint, keys)
        link = SshLink(name, connection)
        async with asyncio.timeout(LOGIN_PATIENCE):
            await link.begin()
    if keys is not None:
        _pin(connection, endpoint, keys)
        link.first_sight = first_sight
    return link


async def read_file(user: str, password: str, endpoint: Endpoint, path: str, most: int, keys: HostKeys) -> str:
    """The end of a file on a server, at most so many bytes of it (SFTP); raises as `open_ssh` does."""
    import asyncssh

    name = f"ssh {user}@{endpoint.address}"
    with _translated(name, user, endpoint, keys):
        connection = await _signed_in(endpoint.address, endpoint.port, user, password, endpoint, keys)
        _pin(connection, endpoint, keys)
        try:
            async with asyncio.timeout(LOGIN_PATIENCE):
                async with connection.start_sftp_client() as sftp, sftp.open(path, "rb", encoding=None) as file:
                    size = (await file.stat()).size or 0
                    found = await file.read(most, max(0, size - most))
                    return found.decode("utf-8", "replace") if isinstance(found, bytes) else found
        except asyncssh.SFTPError as error:
            raise LinkError(f"{name}: {path} can't be read: {error.reason}") from None
        finally:
            connection.close()


async def _signed_in(
    host: str, port: int, user: str, password: str, endpoint: Endpoint, keys: HostKeys | None
) -> asyncssh.SSHClientConnection:
    """A connection to the one whose key is pinned.

    Only the password given is tried, and once: no keys, no agent, no configuration of this machine.
    """
    import asyncssh  # here, since it takes long to load and many a start needs none of it

    pinned = keys.pinned(endpoint.known_as) if keys else None
    trusted: Any = ([asyncssh.import_public_key(pinned)], [], []) if pinned else None
    async with asyncio.timeout(LOGIN_PATIENCE):
        return await asyncssh.connect(
            host,
            port,
            client_factory=_client(user, password),
            username=user,
            known_hosts=trusted,
            client_keys=None,
            agent_path=None,
            config=None,
            gss_host=None,
            preferred_auth="password,keyboard-interactive",
            keepalive_interval=ALIVE_EVERY,
            keepalive_count_max=ALIVE_MISSES,
            **_algorithms(endpoint.old),
        )


def _pin(connection: asyncssh.SSHClientConnection, endpoint: Endpoint, keys: HostKeys) -> None:
    if key := connection.get_server_host_key():
        keys.pin(endpoint.known_as, key.export_public_key("openssh").decode())


def _client(user: str, password: str) -> type[asyncssh.SSHClient]:
    """Gives the password once, by whichever of the two methods is offered first: a device counts each wrong try.

    Of keyboard-interactive questions (RFC 4256) those that echo are answered with the user.
    """
    import asyncssh

    class Client(asyncssh.SSHClient):
        tried = False

        def _is_first(self) -> bool:
            first, self.tried = not self.tried, True
            return first

        def password_auth_requested(self) -> str | None:
            return password if self._is_first() else None

        def kbdint_auth_requested(self) -> str | None:
            return "" if self._is_first() else None

        def kbdint_challenge_received(self, *challenge: Any) -> list[str]:
            return [user if echo else password for _, echo in challenge[-1]]

    return Client


@contextmanager
def _translated(name: str, user: str, endpoint: Endpoint, keys: HostKeys | None) -> Iterator[None]:
    """The border of asyncssh: what it raises, as an error of links."""
    import asyncssh

    try:
        yield
    except asyncssh.PermissionDenied:
        raise AuthRefused(f"{name}: sign-in of {user} was refused") from None
    except asyncssh.HostKeyNotVerifiable:
        raise OtherKey(
            f"{name}: the host key is not the one that was pinned at first sight; no password was sent. This is "
            "another device, or somebody in between. If the device was reset on purpose, remove the lines of "
            f"{' and '.join(endpoint.known_as)} from {keys.file if keys and keys.file else 'known_hosts'}"
        ) from None
    except ConnectionRefusedError:
        raise Refused(f"{name}: nobody listens there") from None
    except TimeoutError:
        raise Unreachable(f"{name}: no answer within {LOGIN_PATIENCE:.0f} s") from None
    except OSError as error:
        raise Unreachable(f"{name}: {why(error)}") from None
    except asyncssh.KeyImportError:
        raise LinkError(
            f"{name}: the host key of {endpoint.known_as[0]} in known_hosts can't be read. Correct or remove that line"
        ) from None
    except asyncssh.Error as error:
        raise LinkError(f"{name}: {error.reason}") from None
