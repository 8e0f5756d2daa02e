"""Which account of this machine is at the other end of a loopback connection.

Linux lists every TCP connection with its owner in /proc/net/tcp and tcp6 (proc(5)): addresses are
hexadecimal, 32-bit words in the machine's byte order, the port behind a colon, the owner in the
eighth column.
"""

import ipaddress
import os
import socket
import sys
from pathlib import Path
from typing import Any

TABLES = {socket.AF_INET: Path("/proc/net/tcp"), socket.AF_INET6: Path("/proc/net/tcp6")}
ROOT_UID = 0
LOCAL, REMOTE, UID = 1, 2, 7  # columns

Address = tuple[Any, ...]


def account_of(client: Address, server: Address) -> int | None:
    """The user id that owns the client's end of a loopback connection; None if it is not on this
    machine, or cannot be found out.

    client, server : addresses as sockets give them, host and port first.
    """
    try:
        host = ipaddress.ip_address(client[0])
    except ValueError:
        return None
    if not host.is_loopback:
        return None
    family = socket.AF_INET if host.version == 4 else socket.AF_INET6
    wanted = (_listed(client), _listed(server))
    try:
        lines = TABLES[family].read_text().splitlines()[1:]
    except OSError:
        return None
    for line in lines:
        columns = line.split()
        if (columns[LOCAL], columns[REMOTE]) == wanted:
            return int(columns[UID])
    return None


def _listed(address: Address) -> str:
    """An address as the kernel's table writes it."""
    packed = ipaddress.ip_address(address[0]).packed
    words = [packed[k : k + 4] for k in range(0, len(packed), 4)]
    if sys.byteorder == "little":
        words = [word[::-1] for word in words]
    return "".join(word.hex().upper() for word in words) + f":{address[1]:04X}"


def can_tell_accounts() -> bool:
    """Whether this machine lets us find out who is at the other end."""
    return TABLES[socket.AF_INET].is_file()


def answers_everyone(shared: bool | None) -> bool:
    """Whether all local accounts are answered: as set, else only if root started the server, as in
    a container.
    """
    return os.getuid() == ROOT_UID if shared is None else shared


def may_use(account: int | None, shared: bool | None) -> bool:
    """Whether an account may use this server; one that cannot be found out may."""
    return account is None or answers_everyone(shared) or account in (ROOT_UID, os.getuid())
