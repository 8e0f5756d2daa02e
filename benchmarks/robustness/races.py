"""The same thing from several sides at once: chunks, endings, readings, takes of one riff."""

from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, begin, bench
from benchmarks.robustness.kills import _settled
from benchmarks.robustness.table import Row
from thrumble.formats.audio import write_flac

ROUNDS = 20


def trial() -> list[Row]:
    """Each race twenty times."""
    with bench() as on:
        player = Player(on.base)
        player.enter()
        _, revision = player.new_riff()
        samples = a_take(2)
        return [
            _same_chunk(player, revision, samples),
            _finish_and_discard(on, player, revision, samples),
            _finish_twice(on, player, revision, samples),
            _same_key(player, revision),
            _numbers(on, player, revision),
            _again_while_reading(on, player, samples),
        ]


def together(asks: list[Callable[[], int]]) -> list[int]:
    with ThreadPoolExecutor(len(asks)) as pool:
        return [future.result() for future in [pool.submit(ask) for ask in asks]]


def _new(player: Player, revision: int) -> int:
    return int(player.post("/takes", json=begin(revision)[1]).json()["take"])


def _same_chunk(player: Player, revision: int, samples) -> Row:  # type: ignore[no-untyped-def]
    codes: Counter[int] = Counter()
    piece = samples[:RATE_HZ].tobytes()
    for _ in range(ROUNDS):
        take = _new(player, revision)
        codes.update(
            together(
                [lambda t=take: player.post(f"/takes/{t}/chunk?frame=0", content=piece).status_code]
                * 10
            )
        )
    return Row("the same chunk ten times at once", "all 204", str(dict(codes)), set(codes) == {204})


def _finish_and_discard(on: Bench, player: Player, revision: int, samples) -> Row:  # type: ignore[no-untyped-def]
    odd, outcomes = 0, Counter[str]()
    for _ in range(ROUNDS):
        take = _new(player, revision)
        player.post(f"/takes/{take}/chunk?frame=0", content=samples.tobytes())
        finish, discard = together(
            [
                lambda t=take: player.post(f"/takes/{t}/finish", json={}).status_code,
                lambda t=take: player.post(f"/takes/{t}/discard").status_code,
            ]
        )
        there = bool(on.query(f"select 1 from take where id = {take}"))
        outcomes[f"finish {finish}, discard {discard}"] += 1
        odd += (finish, discard, there) not in {(200, 409, True), (404, 204, False)}
    return Row(
        "finish against discard",
        "one of them wins, whole",
        f"{dict(outcomes)}, {odd} odd",
        odd == 0,
    )


def _finish_twice(on: Bench, player: Player, revision: int, samples) -> Row:  # type: ignore[no-untyped-def]
    codes: Counter[int] = Counter()
    takes = []
    for _ in range(ROUNDS):
        take = _new(player, revision)
        takes.append(take)
        player.post(f"/takes/{take}/chunk?frame=0", content=samples.tobytes())
        codes.update(
            together([lambda t=take: player.post(f"/takes/{t}/finish", json={}).status_code] * 5)
        )
    _settled(on)
    doubled = on.query(
        "select count(*) from (select take_id from reading where take_id in "
        f"({','.join(map(str, takes))}) group by 1 having count(*) > 1) d"
    )[0][0]
    return Row(
        "finish five times at once",
        "all 200, one reading each",
        f"{dict(codes)}, {doubled} doubled",
        set(codes) == {200} and doubled == 0,
    )


def _same_key(player: Player, revision: int) -> Row:
    wrong = 0
    for _ in range(ROUNDS):
        _, opening = begin(revision)
        takes = together([lambda o=opening: int(player.post("/takes", json=o).json()["take"])] * 6)
        wrong += len(set(takes)) != 1
    return Row(
        "the same take begun six times at once",
        "one take",
        f"{wrong} of {ROUNDS} with several",
        wrong == 0,
    )


def _numbers(on: Bench, player: Player, revision: int) -> Row:
    together([lambda: _new(player, revision)] * 40)
    doubled = on.query(
        "select count(*) from (select riff_id, number from take group by 1, 2 having count(*) > "
        "1) d"
    )[0][0]
    return Row(
        "forty takes of one riff begun at once",
        "no number twice",
        f"{doubled} doubled",
        doubled == 0,
    )


def _again_while_reading(on: Bench, player: Player, samples) -> Row:  # type: ignore[no-untyped-def]
    riff_id, _ = player.new_riff()
    address = player.post(
        f"/play/{riff_id}/upload", files={"take": ("t.flac", write_flac(samples, RATE_HZ)[0])}
    ).headers["hx-redirect"]
    codes = Counter(together([lambda: player.post(f"{address}/read").status_code] * 12))
    _settled(on)
    take = int(address.rsplit("/", 1)[1])
    state, readings = on.query(
        "select t.state, count(r.id) from take t left join reading r on r.take_id = t.id where "
        f"t.id = {take} group by 1"
    )[0]
    return Row(
        "read again twelve times during a reading",
        "all 200, one reading",
        f"{dict(codes)}; {state}, {readings} reading",
        set(codes) == {200} and (state, readings) == ("read", 1),
    )
