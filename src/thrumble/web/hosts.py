"""Host names as browsers send them."""

import re

HOST = re.compile(r"(?P<name>\[[0-9a-f:.]{2,45}\]|[a-z0-9._-]{1,253})(?::\d{1,5})?")
LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]"})


def host_name(host: str) -> str:
    """The host without its port; empty for anything that is no host and port."""
    match = HOST.fullmatch(host.lower())
    return match["name"] if match else ""
