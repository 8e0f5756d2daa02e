"""Odd requests by the thousand: the application's own interface description gives them, valid and
invalid, and lists of nasty words.
"""

from collections import Counter
from typing import Any

import hypothesis
import schemathesis
from hypothesis import HealthCheck, Phase
from tests.web.test_fuzz import NASTY

from benchmarks.robustness.bench import Player, bench
from benchmarks.robustness.table import Row

EXAMPLES = 60


def trial() -> list[Row]:
    """Every operation asked some sixty times each way; a fault is an answer of 500."""
    from thrumble.store import database
    from thrumble.web.app import create_app

    with bench() as on:
        import os

        os.environ["DATABASE_URL"] = on.url
        database.engine.cache_clear()
        document = create_app().openapi()
        player = Player(on.base)
        player.enter()
        player.new_riff()
        seen: Counter[str] = Counter()
        faults: Counter[str] = Counter()
        for result in schemathesis.openapi.from_dict(document).get_all_operations():
            _ask(result.ok(), player, seen, faults)
        rows = [
            Row(
                f"{sum(seen.values())} requests over {len(seen)} operations",
                "no answer of 500",
                f"{sum(faults.values())} {dict(faults) or ''}",
                not faults,
            ),
            _words(player),
        ]
        alive = player.client.get("/readyz").json()
        rows.append(
            Row(
                "the application afterwards",
                "ready",
                str(alive["database"] and alive["worker"]),
                bool(alive["database"] and alive["worker"]),
            )
        )
        return rows


def _ask(operation: Any, player: Player, seen: Counter[str], faults: Counter[str]) -> None:
    import requests

    @hypothesis.settings(
        max_examples=EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @hypothesis.given(
        case=operation.as_strategy(generation_mode=schemathesis.GenerationMode.NEGATIVE)
        | operation.as_strategy()
    )
    def one(case: Any) -> None:
        kwargs = case.as_transport_kwargs(base_url=str(player.client.base_url))
        known = {
            k: v
            for k, v in kwargs.items()
            if k in ("method", "url", "headers", "params", "json", "data", "files", "cookies")
        }
        try:
            prepared = requests.Request(**known).prepare()
            body = (
                prepared.body
                if isinstance(prepared.body, bytes)
                else (prepared.body or "").encode("utf-8", "surrogatepass")
            )
            headers = {
                k: v
                for k, v in prepared.headers.items()
                if k.lower() not in ("cookie", "content-length", "host")
            }
            answer = player.client.request(
                str(prepared.method),
                str(prepared.url),
                headers={**headers, "x-thrumble-token": player.token},
                content=body,
            )
        except (ValueError, UnicodeError):
            return
        name = f"{case.method} {case.path}"
        seen[name] += 1
        if answer.status_code == 500:
            faults[name] += 1

    one()


def _words(player: Player) -> Row:
    import requests

    count, faults = 0, 0
    for word in NASTY:
        quoted = requests.utils.quote(word.encode("utf-8", "replace")[:3000])
        for path in (
            "/takes/{}",
            "/riffs/{}",
            "/play/{}",
            "/rig/{}",
            "/rig/tones/{}",
            "/takes?q={}",
            "/riffs?page={}",
            "/takes/{}/listen.wav",
            "/click/{}/plain",
        ):
            count += 1
            faults += player.client.get(path.replace("{}", quoted)).status_code == 500
    return Row(
        f"{count} addresses with nasty words in them", "no answer of 500", str(faults), faults == 0
    )
