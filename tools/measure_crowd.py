"""Response times for users beside clients without an account that hold connections or send unrequested data.

500 silent connections and 200 incomplete requests are held during requests of the sign-in page; then 300 MB are sent
there. Only addresses of this machine.

    python tools/measure_crowd.py [--idle 500] [--half 200]
"""

from __future__ import annotations

import argparse
import resource
import socket
import sys
from pathlib import Path
from statistics import median
from time import perf_counter

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

HOST, PORT = "127.0.0.1", 8935
BOUND_S = 1.0
ASKED = 50
SENT_MB = 300


def answered_s() -> float:
    """Seconds until the sign-in page has come."""
    begun = perf_counter()
    with socket.create_connection((HOST, PORT), timeout=30) as asking:
        asking.sendall(b"GET /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
        answer = b"".join(iter(lambda: asking.recv(65536), b""))
    assert answer.startswith(b"HTTP/1.1 200"), answer[:100]
    return perf_counter() - begun


def taken_mb() -> float:
    """How much of 300 MB to the sign-in page is read before it is refused."""
    sent = 0
    head = f"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {SENT_MB * 10**6}\r\n\r\n"
    with socket.create_connection((HOST, PORT), timeout=10) as sending:
        sending.sendall(head.encode())
        try:
            while sent < SENT_MB * 10**6:
                sent += sending.send(b"x" * 65536)
        except OSError:
            pass
    return sent / 1e6


def main() -> int:
    from served import served_to_all

    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--idle", type=int, default=500)
    options.add_argument("--half", type=int, default=200)
    asked = options.parse_args()
    _soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (hard, hard))
    with served_to_all(f"{HOST}:{PORT}"):
        alone = sorted(answered_s() for _ in range(ASKED))
        held = [socket.create_connection((HOST, PORT)) for _ in range(asked.idle + asked.half)]
        for half in held[asked.idle :]:
            half.sendall(b"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ")
        beside = sorted(answered_s() for _ in range(ASKED))
        for one in held:
            one.close()
        taken = taken_mb()
        after_s = answered_s()
    print(f"alone: {median(alone) * 1000:.0f} ms, {alone[-1] * 1000:.0f} at most")
    print(
        f"beside {asked.idle} idle connections and {asked.half} half requests: {median(beside) * 1000:.0f} ms, "
        f"{beside[-1] * 1000:.0f} at most (bound {BOUND_S:.0f} s)"
    )
    print(
        f"of {SENT_MB} MB to the sign-in page {taken:.1f} MB were taken; answered after it in {after_s * 1000:.0f} ms"
    )
    return int(beside[-1] > BOUND_S)


if __name__ == "__main__":
    sys.exit(main())
