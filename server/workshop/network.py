"""What is in the workshop's own network: what is asked there for figures or bookings is never this machine, nor anything beyond."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Sequence


class Unknown(Exception):
    """Nothing is called so."""


class Beyond(Exception):
    """It is not in the workshop's own network."""


def reachable(host: str, port: int | str, named: Sequence[str] = ()) -> tuple[str, int]:
    """Where something is: its numeric address and port.

    Refused (`Unknown`, `Beyond`) unless that is in a workshop's own network: never this machine's own services, nor anything beyond,
    except what whoever runs Kestov has ``named`` (host:port).
    """
    if f"{host}:{port}" in named:
        return host, int(port)
    try:
        found = {str(each[4][0]) for each in socket.getaddrinfo(host, int(port), type=socket.SOCK_STREAM)}
    except (OSError, ValueError, UnicodeError) as e:
        raise Unknown(f"There is nothing called {host} on this network.") from e
    for each in found:
        at: ipaddress.IPv4Address | ipaddress.IPv6Address = ipaddress.ip_address(each.split("%")[0])
        # An address of the older kind within one of the newer is what it holds.
        at = getattr(at, "ipv4_mapped", None) or at
        if not at.is_private or at.is_loopback or at.is_link_local or at.is_unspecified or at.is_multicast:
            raise Beyond(f"{host} is not in the workshop's own network.")
    # This very address is asked, not the name once more: it could mean another by then.
    return sorted(found)[0], int(port)
