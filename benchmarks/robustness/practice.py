"""Ten years at the coach's pages: 2,000 takes of long rounds, three million hits; server time."""

import sqlalchemy as sa

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, bench
from benchmarks.robustness.kills import _settled
from benchmarks.robustness.size import _page
from benchmarks.robustness.table import Row
from thrumble.demo import riff_texts
from thrumble.formats.audio import write_flac

TAKES, HITS, RIFFS, DAYS = 2000, 1500, 12, 3650

_TAKES = """
insert into take (player_id, riff_id, revision_id, number, state, source, tempo_bpm, rounds,
  file_name, audio_bytes, audio_sha256, beyond_full_scale, problem, tries, created_at, zone,
  tone_id)
select t.player_id, r.riff_id, r.id, 100 + n, 'read', 'recorded', t.tempo_bpm, 1, '', 1000000, '',
  0, '', 0, now() - make_interval(mins => (n * ({days} * 1440 / {takes}))::int), 'UTC', t.tone_id
from take t cross join generate_series(1, {takes}) n join (select riff_id, id,
  row_number() over (order by riff_id) k from revision where number = 1) r
  on r.k = 1 + n % {riffs} where t.id = 1
"""
_READINGS = """
insert into reading (player_id, take_id, engine, document, verdict, clean, judged, judged_by,
  tolerance_ms, created_at)
select r.player_id, t.id, r.engine, r.document, r.verdict, {hits} - 90, {hits}, r.judged_by,
  r.tolerance_ms, now()
from reading r cross join take t where r.take_id = 1 and t.id > 1
"""
_HITS = """
insert into hit (player_id, reading_id, round, index, section, bar_in_section, at, appearance,
  state, expected_articulation, heard_articulation, deviation_ms, relative_level_db, ring_s,
  stop_late_ms, late_ms, in_time, as_judged)
select h.player_id, r.id, n, h.index, h.section, h.bar_in_section, h.at, h.appearance,
  h.state, h.expected_articulation, h.heard_articulation,
  h.deviation_ms + (n * 37 % 23) - 11, h.relative_level_db, h.ring_s, h.stop_late_ms,
  h.late_ms + (n * 37 % 23) - 11, abs(h.late_ms + (n * 37 % 23) - 11) <= r.tolerance_ms, h.as_judged
from reading r cross join generate_series(1, (select {hits} / count(*) from hit
  where reading_id = 1)) n cross join hit h where h.reading_id = 1 and r.id > 1
"""
_ROUNDS = """
insert into round (player_id, reading_id, riff_id, section, round, day, tempo_bpm, seconds, hits,
  clean, timing, muting, stops)
select o.player_id, r.id, t.riff_id, o.section, o.round + n, t.created_at::date,
  80 + t.id % 60, o.seconds, o.hits, (t.id + n) % 3 > 0, t.id % 4 > 0, o.muting, o.stops
from round o cross join reading r join take t on t.id = r.take_id
cross join generate_series(0, 9) n where o.reading_id = 1 and r.id > 1
"""
_LOADS = """
insert into load (reading_id, player_id, riff_id, day, tempo_bpm, strokes, down, seconds,
  run_strokes, run_s, tired_s, spread_ms, level_db, clean, judged, causes)
select r.id, o.player_id, t.riff_id, t.created_at::date, 80 + t.id % 60, {hits}, {hits}, 300,
  200 + t.id % 90, 40, o.tired_s, o.spread_ms, o.level_db, {hits} - 90, {hits},
  array[(array['spread','shifts','rang','stops'])[1 + t.id % 4]]
from load o cross join reading r join take t on t.id = r.take_id
where o.reading_id = 1 and r.id > 1
"""


def trial() -> list[Row]:
    """Fills the database by its own means, then asks every page of the coach five times."""
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
            "today's plan": "POST /plan/today",
            "Log": "/log",
            "All practice": "/log/practice",
            "the takes behind a week": "/log/takes?cause=spread",
            "the takes behind a place": "/log/takes?riff=1&section=A&bar=1&at=0",
            "the calendar": "/calendar.ics",
        }
        return rows + [_page(player, name, address) for name, address in pages.items()]


def _fill(on: Bench, player: Player) -> None:
    for n, text in enumerate((list(riff_texts().values()) * 2)[:RIFFS]):
        source = text.replace("title: ", f"title: {n} ", 1) if n else text
        player.post("/riffs", data={"source": source})
    file = write_flac(a_take(), RATE_HZ)[0]
    riff_id, _ = player.new_riff()
    player.post(f"/play/{riff_id}/upload", files={"take": ("t.flac", file)})
    _settled(on)
    engine = sa.create_engine(on.url)
    figures = {"takes": TAKES, "hits": HITS, "riffs": RIFFS, "days": DAYS}
    with engine.begin() as connection:
        for statement in (_TAKES, _READINGS, _HITS, _ROUNDS, _LOADS):
            connection.execute(sa.text(statement.format(**figures)))
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text("analyze"))
    engine.dispose()
