"""How often a browser may ask for something costly: a bucket that fills again evenly."""

import threading
import time
from collections.abc import Callable

MAX_BROWSERS = 10_000


class Limits:
    """For each browser, `at_once` requests (as many as `per_minute` if left out), and `per_minute`
    from then on.
    """

    def __init__(
        self,
        per_minute: int,
        clock: Callable[[], float] = time.monotonic,
        *,
        at_once: int | None = None,
    ) -> None:
        self._per_minute, self._clock = per_minute, clock
        self._most = at_once or per_minute
        self._spent: dict[str, tuple[float, float]] = {}
        self._lock = threading.Lock()

    def wait_s(self, browser: str) -> float:
        """0 if the browser may go on, and that is counted; else the seconds until it may."""
        now, per_s = self._clock(), self._per_minute / 60
        with self._lock:
            if len(self._spent) > MAX_BROWSERS:
                self._spent = {
                    b: (n, at) for b, (n, at) in self._spent.items() if n > (now - at) * per_s
                }
            spent, at = self._spent.get(browser, (0.0, now))
            spent = max(0.0, spent - (now - at) * per_s)
            if spent + 1 > self._most:
                return (spent + 1 - self._most) / per_s
            self._spent[browser] = (spent + 1, now)
            return 0.0

    def give_back(self, browser: str) -> None:
        """The last request doesn't count: it was what it should be."""
        with self._lock:
            if browser in self._spent:
                spent, at = self._spent[browser]
                self._spent[browser] = (max(0.0, spent - 1), at)
