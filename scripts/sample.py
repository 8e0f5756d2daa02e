"""Makes the sample player anew from its seeds, in the empty database of DATABASE_URL, and writes it
to where the application ships it. Takes some minutes. Only the newest takes of some riffs keep
their audio, as a storage rule would leave them: the file has to be small.

python -m scripts.sample
"""

from datetime import UTC, datetime
from pathlib import Path

import sqlalchemy as sa

from thrumble.actions.demo import play_demo
from thrumble.actions.portability import export_player
from thrumble.store import database

FILE = Path(__file__).parents[1] / "src/thrumble/demo/sample.zip"
WITH_AUDIO = {  # the newest takes of a riff
    "Winding Gear": 2,
    "Sluice Gate": 1,
    "Towpath Shuffle": 1,
    "Stop Planks": 1,
    "Nine Locks Down": 1,
}
MAX_BYTES = 15_000_000
_DROP = """
with newest as (
  select take.id, revision.title,
    row_number() over (partition by take.riff_id order by take.created_at desc) as place
  from take join revision on revision.id = take.revision_id),
old as (
  update take set let_go_at = take.created_at + interval '1 day', audio_bytes = 0
  from newest left join
    unnest(cast(:titles as text[]), cast(:counts as int[])) as wanted(title, count)
    on wanted.title = newest.title
  where newest.id = take.id and newest.place > coalesce(wanted.count, 0)
  returning take.id)
delete from audio where take_id in (select id from old)
"""


def main() -> None:
    database.migrate()
    player_id = play_demo(lambda words: print(words, flush=True))
    with database.session() as session:
        session.execute(
            sa.text(_DROP), {"titles": list(WITH_AUDIO), "counts": list(WITH_AUDIO.values())}
        )
        if session.execute(sa.text("select count(*) from take where state <> 'read'")).scalar_one():
            raise SystemExit("not every take was analysed")
    with FILE.open("wb") as target:
        export_player(player_id, target)
    size = FILE.stat().st_size
    print(f"{FILE}: {size / 1e6:.1f} MB, made {datetime.now(UTC):%Y-%m-%d}")
    if size > MAX_BYTES:
        raise SystemExit(f"that is more than the {MAX_BYTES / 1e6:.0f} MB it may have")


if __name__ == "__main__":
    main()
