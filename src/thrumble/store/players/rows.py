"""Everything that belongs to one player, row by row: to be taken to another installation, or made
part of a player there. Numbers of rows differ between installations; what refers to them follows.
"""

import json
from collections.abc import Callable, Iterable, Iterator
from datetime import date, datetime, timedelta
from typing import Any

import sqlalchemy as sa
from sqlmodel import Session, SQLModel

from thrumble.core.errors import BadInput

Row = dict[str, Any]
# parents before their children; audio, chunks and the sound of examples travel as files
TABLES = (
    "hand",
    "keeping",
    "practice",
    "comfort",
    "recall",
    "calibration",
    "riff",
    "revision",
    "rig",
    "tone",
    "example",
    "take",
    "note",
    "correction",
    "comment",
    "reading",
    "hit",
    "round",
    "load",
    "trial",
    "trial_turn",
    "helped",
    "proof",
    "session",
)
SOUND_TABLES = ("audio", "chunk")
REFERENCES = {
    "riff_id": "riff",
    "revision_id": "revision",
    "rig_id": "rig",
    "tone_id": "tone",
    "take_id": "take",
    "calibration_id": "calibration",
    "reading_id": "reading",
    "example_id": "example",
    "drill_of": "riff",
    "before_take": "take",
    "after_take": "take",
    "trial_id": "trial",
    "reply_to": "comment",
}
SOUND = "data"  # the column of an example's or a comment's FLAC
UNFINISHED = "recording"  # such a take is still in its browser
BATCH = 1000


def row_count(session: Session, player_id: int) -> int:
    """How many rows `rows_of` gives over all tables."""
    counts = [
        session.execute(
            sa.text(f'select count(*) from "{table}" where player_id = :player'),
            {"player": player_id},
        ).scalar_one()
        for table in TABLES
    ]
    return sum(counts)


def file_count(session: Session, player_id: int) -> int:
    """About how many files an export has beside its tables: of every take its audio, analysis and
    labels, every riff, every example.
    """
    query = sa.text(
        "select (select 2 * count(*) + count(*) filter (where audio_bytes > 0) from take "
        "where player_id = :player) + (select count(*) from riff where player_id = :player) "
        "+ (select count(*) from example where player_id = :player) + 5"
    )
    return int(session.execute(query, {"player": player_id}).scalar_one())


def rows_of(session: Session, player_id: int, table: str) -> Iterator[Row]:
    """A table's rows of a player in their order, without sound; what belongs to a take that is
    still being recorded is left out.
    """
    keys = ", ".join(f't."{column.name}"' for column in SQLModel.metadata.tables[table].primary_key)
    query = sa.text(
        f'select to_jsonb(t) - :sound from "{table}" t '
        f"where t.player_id = :player and {_finished(table)} order by {keys}"
    )
    result = session.execute(
        query.execution_options(yield_per=BATCH), {"player": player_id, "sound": SOUND}
    )
    with result:  # whoever looks at the first row only leaves no cursor open
        for (row,) in result:
            yield row


def _finished(table: str) -> str:
    columns = SQLModel.metadata.tables[table].columns
    if table == "take":
        return f"t.state <> '{UNFINISHED}'"
    if "take_id" in columns:
        return f"t.take_id not in (select id from take where state = '{UNFINISHED}')"
    return "true"


class Import:
    """Rows that become a player's. `shift`: that every date is moved by. What is there already, by
    the moment it was made, stays as it is.
    """

    def __init__(
        self, session: Session, player_id: int, *, shift: timedelta = timedelta(0)
    ) -> None:
        self._session = session
        self._player_id = player_id
        self._shift = shift
        self._numbers: dict[str, dict[int, int]] = {table: {} for table in TABLES}
        self._known: dict[str, set[int]] = {table: set() for table in TABLES}
        self._next_numbers: dict[int, int] = {
            riff_id: count + 1
            for riff_id, count in session.execute(
                sa.text("select id, takes_numbered from riff where player_id = :player"),
                {"player": player_id},
            )
        }
        self.added: dict[str, int] = {}

    def number(self, table: str, number: int) -> int | None:
        """The number that a row has here; None if it was left out."""
        return self._numbers[table].get(number)

    def is_added(self, table: str, number: int) -> bool:
        """Whether a row came with this import, and wasn't there before."""
        return number in self._numbers[table] and number not in self._known[table]

    def add(
        self, table: str, rows: Iterable[Row], sound: Callable[[int], bytes] | None = None
    ) -> None:
        """Adds a table's rows; all tables before it in `TABLES` are there. `sound`: of an example,
        by its number in the export. Raises BadInput for rows that can't be.
        """
        batch: list[Row] = []
        for row in rows:
            batch.append(row)
            if len(batch) == BATCH:
                self._add(table, batch, sound)
                batch = []
        if batch:
            self._add(table, batch, sound)

    def _add(self, table: str, rows: list[Row], sound: Callable[[int], bytes] | None) -> None:
        columns = SQLModel.metadata.tables[table].columns
        there = self._there(table)
        candidates: list[Row] = []
        for row in rows:
            if not isinstance(row, dict) or not set(row) <= set(columns.keys()) - {SOUND}:
                raise BadInput(f"this export has rows that don't belong to {table}")
            row = self._moved(row)
            number: int | None = row.get("id")
            moment = _moment(row)
            same = None if number is None or moment is None else there.get(moment)
            if same is not None and number is not None:
                self._numbers[table][number] = same
                self._known[table].add(number)
                continue
            candidates.append(row)
        if "id" in columns:
            self._renumber(table, candidates)
        fresh: list[Row] = []
        for row in candidates:
            row["player_id"] = self._player_id
            if self._follow(table, row):
                fresh.append(row)
            elif "_was" in row:
                self._numbers[table][row["_was"]] = 0
                self._known[table].add(row["_was"])
        if sound is not None:
            for row in fresh:
                row[SOUND] = "\\x" + sound(row.pop("_was")).hex()
        for row in fresh:
            row.pop("_was", None)
        self._insert(table, fresh)

    def _there(self, table: str) -> dict[datetime, int]:
        """Rows that the player has by now, by the moment they were made; of tables whose rows have
        a number.
        """
        columns = SQLModel.metadata.tables[table].columns
        if "id" not in columns or "created_at" not in columns or self.added.get(table):
            return {}
        query = sa.text(f'select created_at, id from "{table}" where player_id = :player')
        result = self._session.execute(query, {"player": self._player_id})
        return {moment: number for moment, number in result}  # noqa: C416 (rows, not pairs)

    def _moved(self, row: Row) -> Row:
        if not self._shift:
            return dict(row)
        return {name: self._later(name, value) for name, value in row.items()}

    def _later(self, name: str, value: Any) -> Any:
        if isinstance(value, str) and name.endswith("_at") and name != "begins_at":
            return (datetime.fromisoformat(value) + self._shift).isoformat()
        if isinstance(value, str) and name == "day":
            return (date.fromisoformat(value) + self._shift).isoformat()
        return value

    def _follow(self, table: str, row: Row) -> bool:
        """Lets a row refer to its parents as they are numbered here. Whether it is to be added:
        what hangs on something that was there already came with it.
        """
        for name, parent in REFERENCES.items():
            number = row.get(name)
            if number is None or name not in row:
                continue
            here = self._numbers[parent].get(number)
            if here is None:
                raise BadInput(f"this export is incomplete: {table} refers to a missing {parent}")
            row[name] = here
            is_part = "created_at" not in row or table == "reading"
            if is_part and number in self._known[parent]:
                return False
        if table == "session":
            for entry in row["plan"].get("blocks", []):
                riff_id = entry["block"].get("riff_id")
                entry["block"]["riff_id"] = self._numbers["riff"].get(riff_id)
        if table == "proof":
            row["examples"] = [
                here
                for number in row["examples"]
                if (here := self._numbers["example"].get(number)) is not None
            ]
        if table == "comment":
            row["author_id"] = None  # who wrote it is nobody here
        if table == "practice":
            row["feed_key"] = None  # the address of a calendar stays where it was given out
        if table == "take" and row["state"] == "reading":
            row["state"] = "queued"
        if table == "take" and self._next_numbers.get(row["riff_id"]) is not None:
            row["number"] = self._next_numbers[row["riff_id"]]
            self._next_numbers[row["riff_id"]] += 1
        return True

    def _renumber(self, table: str, rows: list[Row]) -> None:
        query = sa.text(
            f"select nextval(pg_get_serial_sequence('\"{table}\"', 'id')) "
            "from generate_series(1, :count)"
        )
        numbers = self._session.execute(query, {"count": len(rows)}).scalars().all()
        for row, number in zip(rows, numbers, strict=True):
            row["_was"] = row["id"]
            self._numbers[table][row["id"]] = row["id"] = number

    def _insert(self, table: str, rows: list[Row]) -> None:
        if not rows:
            return
        columns = ", ".join(f'"{name}"' for name in rows[0])
        if any(row.keys() != rows[0].keys() for row in rows):
            raise BadInput(f"this export has rows of {table} that differ in their columns")
        query = sa.text(
            f'insert into "{table}" ({columns}) select {columns} '
            f'from jsonb_populate_recordset(null::"{table}", cast(:rows as jsonb)) '
            "on conflict do nothing"
        )
        self._session.execute(query, {"rows": json.dumps(rows, allow_nan=False)})
        self.added[table] = self.added.get(table, 0) + len(rows)


def _moment(row: Row) -> datetime | None:
    moment = row.get("created_at")
    return None if moment is None else datetime.fromisoformat(moment)
