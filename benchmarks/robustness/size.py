"""Every page with 5,000 takes and 500 riffs: server time and size; and reading 2,000 old takes
again.
"""

import statistics
import time

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, bench
from benchmarks.robustness.kills import _settled
from benchmarks.robustness.table import Row
from thrumble.demo import riff_texts
from thrumble.formats.audio import write_flac

RIFFS, TAKES, OLD = 500, 5000, 2000
MAX_MS, MAX_KB = 100.0, 300.0

_MANY_TAKES = """
insert into take (player_id, riff_id, revision_id, number, state, source, tempo_bpm, rounds,
  file_name, audio_bytes, audio_sha256,
                  beyond_full_scale, problem, tries, created_at, zone)
select t.player_id, r.riff_id, r.id, 100 + n / {riffs},
  case when n % 97 = 0 then 'recording' else 'read' end, 'recorded', t.tempo_bpm, 1, '', 1000000,
  '',
       0, '', 0, now() - make_interval(mins => n), 'UTC'
from take t cross join generate_series(1, {takes}) n join (select riff_id, id,
  row_number() over (order by riff_id) k from revision where number = 1) r
     on r.k = 1 + n % {riffs} where t.id = 1
"""
_MANY_READINGS = """
insert into reading (player_id, take_id, engine, document, verdict, clean, judged, judged_by,
  tolerance_ms, created_at)
select r.player_id, t.id, case when t.id % 5 < 2 then '1.0.0' else r.engine end, r.document,
  r.verdict, r.clean, r.judged, r.judged_by, r.tolerance_ms, now()
from reading r cross join take t where r.take_id = 1 and t.id > 1 and t.state = 'read'
"""
_MANY_HITS = """
insert into hit (player_id, reading_id, round, index, section, bar_in_section, at, appearance,
  state, expected_articulation, heard_articulation,
                 deviation_ms, relative_level_db, ring_s, stop_late_ms, late_ms, in_time,
                 as_judged)
select h.player_id, r.id, h.round, h.index, h.section, h.bar_in_section, h.at, h.appearance,
  h.state, h.expected_articulation, h.heard_articulation,
       h.deviation_ms, h.relative_level_db, h.ring_s, h.stop_late_ms, h.late_ms, h.in_time,
       h.as_judged
from hit h cross join reading r where h.reading_id = 1 and r.id > 1
"""
_MANY_ROUNDS = """
insert into round (player_id, reading_id, riff_id, section, round, day, tempo_bpm, seconds, hits,
  clean, timing, muting, stops)
select o.player_id, r.id, t.riff_id, o.section, o.round, t.created_at::date,
  80 + t.id % 60, o.seconds, o.hits, t.id % 3 > 0, t.id % 4 > 0, o.muting, o.stops
from round o cross join reading r join take t on t.id = r.take_id
where o.reading_id = 1 and r.id > 1
"""


def trial() -> list[Row]:
    """Fills the database by its own means, then asks every page five times."""
    with bench() as on:
        player = Player(on.base)
        player.enter()
        _fill(on, player)
        counts = [
            on.query(f"select count(*) from {table}")[0][0] for table in ("riff", "take", "hit")
        ]
        rows = [Row("filled with", "", f"{counts[0]} riffs, {counts[1]} takes, {counts[2]} hits")]
        pages = {
            "Today": "/",
            "Riffs": "/riffs",
            "Riffs, last page": "/riffs?page=41",
            "Riffs, searched": "/riffs?q=ballast",
            "a riff": "/riffs/1",
            "Play": "/play/1",
            "Takes": "/takes",
            "Takes, page 60": "/takes?page=60",
            "Takes, searched": "/takes?q=sluice&state=unfinished",
            "a take": "/takes/1",
            "a riff's neck": "/riffs/1/neck",
            "Shapes": "/shapes",
            "a chord's places": "/shapes?name=F%235",
            "Recall": "/neck/recall",
            "Your hand": "/neck/hand",
            "Drills": "/riffs/1/drills",
            "Log": "/log",
            "Rig": "/rig",
            "How sure is it?": "/certainty",
            "Status": "/status",
            "reading again, in progress": f"/takes/again?total={OLD}",
        }
        rows += [_page(player, name, address) for name, address in pages.items()]
        began = time.monotonic()
        code = player.post("/takes/again").status_code
        rows.append(
            Row(
                f"asking for {OLD} old takes to be read again",
                "",
                f"{code} in {time.monotonic() - began:.1f} s",
            )
        )
        rows.append(_page(player, "reading again, just asked for", f"/takes/again?total={OLD}"))
        rows.append(
            Row(
                "the server's memory afterwards",
                "",
                f"{on.memory_mb(on.server.pid, most=True) if on.server else 0:.0f} MB at most",
            )
        )
        return rows


def _fill(on: Bench, player: Player) -> None:
    import sqlalchemy as sa

    texts = list(riff_texts().values())
    for n in range(RIFFS):
        player.post(
            "/riffs",
            data={
                "source": texts[n % len(texts)].replace("title: ", f"title: {n} ", 1)
                if n
                else texts[0]
            },
        )
    file = write_flac(a_take(), RATE_HZ)[0]
    riff_id, _ = player.new_riff()
    player.post(f"/play/{riff_id}/upload", files={"take": ("t.flac", file)})
    _settled(on)
    engine = sa.create_engine(on.url)
    with engine.begin() as connection:
        for statement in (
            _MANY_TAKES.format(riffs=RIFFS, takes=TAKES),
            _MANY_READINGS,
            _MANY_HITS,
            _MANY_ROUNDS,
        ):
            connection.execute(sa.text(statement))
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text("analyze"))
    engine.dispose()


def _page(player: Player, name: str, address: str) -> Row:
    times, size = [], 0.0
    for _ in range(5):
        began = time.perf_counter()
        if address.startswith("POST "):
            answer = player.post(address.removeprefix("POST "), headers={"accept": "text/html"})
        else:
            answer = player.client.get(address)
        times.append((time.perf_counter() - began) * 1000)
        size = len(answer.content) / 1000
    held = statistics.median(times) <= MAX_MS and size <= MAX_KB and answer.status_code == 200
    return Row(
        name,
        f"{MAX_MS:.0f} ms, {MAX_KB:.0f} kB or less",
        f"{answer.status_code}, {statistics.median(times):.0f} ms, {size:.0f} kB",
        held,
    )
