"""Valid riffs of every kind, for properties."""

from decimal import Decimal
from fractions import Fraction

from hypothesis import strategies as st

from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note, Plucking
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import (
    Articulation,
    Bar,
    Hit,
    Legato,
    Pickup,
    Ramp,
    Riff,
    Section,
    Stroke,
)
from thrumble.core.riff.ramps import mended

METERS = st.sampled_from(
    [Meter(4, 4), Meter(3, 4), Meter(7, 8), Meter(5, 4), Meter(1, 2), Meter(13, 16)]
)
LABELS = st.sampled_from([None, "F#5", "Bb5", "E5", "Asus4", "quiet", "D5/5", "C5w"])
FEELS = st.one_of(
    st.just(STRAIGHT),
    st.builds(
        Feel,
        st.sampled_from([Fraction(1), Fraction(2), Fraction(17, 10), Fraction(5, 2)]),
        st.sampled_from([Fraction(1, 8), Fraction(1, 16)]),
    ),
)


@st.composite
def notes(draw: st.DrawFn, *, dead: bool) -> tuple[Note, ...]:
    strings = sorted(draw(st.sets(st.integers(1, 6), min_size=1, max_size=4)), reverse=True)
    frets = st.one_of(st.none(), st.integers(0, 20)) if dead else st.integers(3, 20)
    return tuple(
        Note(
            s,
            draw(frets),
            draw(st.booleans()) if len(strings) > 1 else False,
            draw(st.sampled_from([None, None, None, *Plucking])),
        )
        for s in strings
    )


@st.composite
def hits(draw: st.DrawFn, at: Fraction, room: Fraction, *, last: bool) -> Hit:
    articulation = draw(st.sampled_from(list(Articulation)))
    length = draw(st.sampled_from([room, room / 2, room * 2 / 3]))
    legato = draw(st.sampled_from([None, None, None, *Legato]))
    struck = draw(notes(dead=articulation is Articulation.DEAD))
    slides = (
        st.sampled_from([None, None, -2, -3, 2])
        if all(n.fret is not None for n in struck) and min(n.fret or 0 for n in struck) >= 3
        else st.none()
    )
    dead, palm = articulation is Articulation.DEAD, articulation is Articulation.PALM
    staccato = draw(st.booleans())
    bends = [None, None] if dead else [None, None, Decimal("0.5"), Decimal("0.25"), Decimal(1)]
    return Hit(
        at=at,
        length=length,
        notes=struck,
        articulation=articulation,
        depth=draw(
            st.sampled_from(
                [Decimal("0.6"), Decimal("0.9"), Decimal("0.35"), Decimal(0), Decimal(1)]
            )
        )
        if palm
        else None,
        stroke=None if legato else draw(st.sampled_from(list(Stroke))),
        accent=draw(st.booleans()),
        staccato=staccato,
        bend=draw(st.sampled_from(bends)),
        opens=palm and not staccato and draw(st.booleans()),
        arpeggio=not dead and not legato and len(struck) > 1 and draw(st.booleans()),
        ramp=draw(st.sampled_from([None, None, *Ramp])) if palm else None,
        stop=length < room and draw(st.booleans()),
        slide_from=draw(slides),
        legato=legato,
        label=draw(LABELS),
    )


@st.composite
def runs(draw: st.DrawFn) -> tuple[Bar, ...]:
    """Bars whose hits may ring over bar lines."""
    meters = draw(st.lists(METERS, min_size=1, max_size=3))
    starts = [sum((m.length for m in meters[:k]), Fraction(0)) for k in range(len(meters) + 1)]
    places = []
    for start, meter in zip(starts, meters, strict=False):
        grid = draw(st.sampled_from([8, 16, 12, 6, 5]))
        inside = [Fraction(k, grid) for k in range(grid * 4) if Fraction(k, grid) < meter.length]
        places += [start + at for at in sorted(draw(st.sets(st.sampled_from(inside), max_size=6)))]
    made = []
    for at, following in zip(places, [*places[1:], starts[-1]], strict=False):
        bar = max(k for k in range(len(meters)) if starts[k] <= at)
        made.append(
            (bar, draw(hits(at - starts[bar], following - at, last=following == starts[-1])))
        )
    whole = zip((b for b, _ in made), mended([hit for _, hit in made]), strict=True)
    made = list(whole)
    return tuple(Bar(meter, tuple(h for b, h in made if b == k)) for k, meter in enumerate(meters))


@st.composite
def riffs(draw: st.DrawFn) -> Riff:
    names = draw(
        st.lists(
            st.sampled_from(["A", "B", "Verse 2", "x-1", "_"]), min_size=1, max_size=3, unique=True
        )
    )
    sections = tuple(
        Section(
            name=name,
            bars=draw(runs()),
            endings=tuple(draw(st.lists(runs(), max_size=2))),
            feel=draw(st.one_of(st.none(), FEELS)),
        )
        for name in names
    )
    pickup = draw(st.one_of(st.none(), st.just(Fraction(1, 4)), st.just(Fraction(3, 8))))
    riff = Riff(
        title=draw(st.sampled_from(["Sluice Gate", "Ballast #2", "Lock: the third"])),
        tempo_bpm=draw(st.sampled_from([Decimal(118), Decimal("97.5"), Decimal("20.25")])),
        sections=sections,
        tuning=draw(
            st.sampled_from(
                [("E2", "A2", "D3", "G3", "B3", "E4"), ("D#2", "G#2", "C#3", "F#3", "A#3", "D#4")]
            )
        ),
        capo=draw(st.sampled_from([0, 2])),
        feel=draw(FEELS),
        play=tuple(draw(st.lists(st.sampled_from(names), max_size=4))),
        pickup=Pickup(pickup, tuple(mended([draw(hits(Fraction(0), pickup, last=True))])))
        if pickup
        else None,
        pedal=draw(st.sampled_from([None, Note(6, 0), Note(5, 3)])),
    )
    try:
        return check_riff(riff)
    except RiffError:  # a shuffle over mixed places, or not a single hit
        from hypothesis import reject

        reject()
