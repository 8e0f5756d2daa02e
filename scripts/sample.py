"""Makes the sample player anew from its seeds, in the empty database of DATABASE_URL, and writes it
to where the application ships it. Takes some minutes. Only the newest takes keep their audio, as a
storage rule would leave them.

python -m scripts.sample
"""

from datetime import UTC, datetime
from pathlib import Path

import sqlalchemy as sa

from thrumble.actions.demo import play_demo
from thrumble.actions.portability import export_player
from thrumble.store import database

FILE = Path(__file__).parents[1] / "src/thrumble/demo/sample.zip"
WITH_AUDIO = 5
MAX_BYTES = 15_000_000
_DROP = """
with old as (
  update take set let_go_at = created_at + interval '1 day' where id not in (
    select id from take order by id desc limit :count)
  returning id)
delete from audio where take_id in (select id from old)
"""


def main() -> None:
    database.migrate()
    player_id = play_demo(lambda words: print(words, flush=True))
    with database.session() as session:
        session.execute(sa.text(_DROP), {"count": WITH_AUDIO})
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
