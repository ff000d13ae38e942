"""Site files: nothing lost on the way out and in, comments kept, mistakes named."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs
from msgspec.structs import replace

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.door_settings import (
    BluetoothSetting,
    BrokerSetting,
    CoapSetting,
    ModbusSetting,
    PollSetting,
    ProbesSetting,
    SerialSetting,
    TopicSetting,
    door_name,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import Forward, ForwardForm, ForwardKind
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.levels import HourLimits, Level, Limits
from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.core.series.corrections import CorrectionUncertainty
from rook_tally.core.site_file.content import (
    BenchEntry,
    DeviceEntry,
    FieldCorrection,
    FieldEntry,
    FirmwareEntry,
    GroupEntry,
    KeyEntry,
    KeySort,
    LimitEntry,
    PageEntry,
    PlaceEntry,
    PlanEntry,
    PlanMarkEntry,
    SeriesName,
    SiteContent,
    SiteEntry,
    SitePart,
    StationEntry,
)
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.site_file.ready_made import READY_MADE, ready_made
from rook_tally.core.site_file.writing import site_to_toml
from rook_tally.core.site_settings import DecimalMark, SiteSettings, Weekday
from rook_tally.core.workings.definitions import Placement, Score, ScoreInput, Working
from rook_tally.demo.pottery import site_text
from tests.builders import picture
from tests.core.firmware.test_images import KEY
from tests.examples import examples

NAMES = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=20).filter(
    str.strip
)
SLUGS = st.from_regex(r"[a-z][a-z0-9_]{0,12}", fullmatch=True)
NUMBERS = st.floats(-1e9, 1e9, allow_nan=False)
SPANS = st.floats(0, 1e8, allow_nan=False)
MOMENTS = st.integers(0, 4_000_000_000_000_000)
OWN_KINDS = (
    replace(KINDS["climate"], slug="mine"),
    replace(KINDS["part-sht31"], slug="ours"),
    *(
        kind_from_toml(f'slug = "{slug}"\nname = "{slug}"\ncadence_s = 60\n{tables}')
        for slug, tables in (
            (
                "bytes",
                '[layout]\ncheck = "crc8"\n[[layout.field]]\nname = "temp"\nat = 0\ntype = "i16"\n'
                "nothing = [7]\nwhen = {at = 2, bit = 1}\n"
                '[layout.repeat]\nbytes = 3\nback = "5 min"',
            ),
            (
                "shaped",
                '[json]\nlist = "/d"\nstation = "/id"\nskip = ["/a"]\n[json.words]\nOPEN = 1\n'
                '[json.pairs]\nat = "/v"\nname = "/n"\nvalue = "/v"',
            ),
            ("meter", '[[register]]\nname = "power"\nat = 3\ntype = "f32"\nlow_word_first = true'),
        )
    ),
)
HOURS = st.builds(
    HoursOfDay,
    begin_min=st.integers(0, 1439),
    end_min=st.integers(0, 1439),
    days=st.sets(st.integers(0, 6), max_size=6).map(lambda one: tuple(sorted(one))),
).filter(lambda one: one.begin_min != one.end_min)


_UNITS = {"temperature": "°F", "co2": "ppm"}


def unique(values: st.SearchStrategy, key: str) -> st.SearchStrategy:
    several = st.lists(values, max_size=4, unique_by=lambda one: getattr(one, key))
    return st.none() | several.map(tuple)


@st.composite
def fours(draw: st.DrawFn) -> tuple[float | None, ...]:
    rising = sorted(draw(st.lists(NUMBERS, min_size=4, max_size=4)))
    return tuple(draw(st.sampled_from([one, None])) for one in rising)


HOURS = st.builds(
    HoursOfDay,
    begin_min=st.integers(0, 1439),
    end_min=st.integers(0, 1439),
    days=st.just(()) | st.just((0, 1, 4)),
)
LIMITS = st.builds(
    lambda above, below, by_hours: Limits(above, tuple(reversed(below)), by_hours),
    fours(),
    fours(),
    st.lists(
        st.builds(
            lambda hours, above, below: HourLimits(hours, above, tuple(reversed(below))),
            HOURS,
            fours(),
            fours(),
        ),
        max_size=2,
    ).map(tuple),
)
FIELDS = st.builds(
    FieldEntry,
    name=SLUGS,
    quantity=st.sampled_from(["temperature", "co2"]),
    unit=st.none(),
    names=st.lists(NAMES, max_size=2).map(tuple),
    limits=st.none() | LIMITS,
    settings=st.builds(
        SeriesSettings,
        title=st.just("") | NAMES,
        believable=st.none() | st.just((-40.0, 60.0)),
        accuracy=st.none() | st.floats(0.01, 5),
        decimals=st.none() | st.integers(-2, 4),
        colour=st.none() | st.integers(1, 6),
        hidden=st.booleans(),
        left_out=st.booleans(),
        calibration_months=st.none() | st.floats(0.5, 240),
    ),
    corrections=st.lists(
        st.builds(
            FieldCorrection,
            from_us=MOMENTS,
            gain=NUMBERS,
            offset=NUMBERS,
            who=NAMES,
            why=NAMES,
            uncertainty=st.none() | st.builds(CorrectionUncertainty, NUMBERS, NUMBERS, NUMBERS),
        ),
        max_size=2,
    ).map(tuple),
).map(lambda one: structs.replace(one, unit=_UNITS[one.quantity]))
SERIES_NAMES = st.builds(SeriesName, NAMES, NAMES)
CONTENTS = st.builds(
    SiteContent,
    site=st.none()
    | st.builds(
        SiteEntry,
        name=st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=20),
        zone=st.just("Europe/London"),
        settings=st.builds(
            SiteSettings,
            latitude=st.just(50.35),
            longitude=st.floats(-180, 180),
            height_m=st.none() | st.floats(-500, 9000),
            quiet=st.none() | HOURS,
            week_begins=st.sampled_from(Weekday),
            decimals=st.sampled_from(DecimalMark),
            dates=st.sampled_from(DateStyle),
            clocks=st.sampled_from(ClockStyle),
            language=st.sampled_from(["", "en", "pt_BR"]),
        ),
    ),
    units=st.none() | st.dictionaries(SLUGS, st.sampled_from(["°F", "hPa"]), max_size=3),
    kinds=st.none() | st.lists(st.sampled_from(OWN_KINDS), max_size=3, unique=True).map(tuple),
    places=unique(
        st.builds(PlaceEntry, name=NAMES, inside=st.just("") | NAMES, outdoors=st.booleans()),
        "name",
    ),
    stations=unique(
        st.builds(
            StationEntry,
            key=SLUGS,
            place=NAMES,
            cadence_s=st.none() | st.floats(0.1, 1e6),
            notes=st.just("") | NAMES,
            aliases=st.lists(SLUGS, max_size=2).map(tuple),
            retired_us=st.none() | MOMENTS,
            past_of=st.just("") | SLUGS,
            hangs=st.just("") | NAMES,
            photograph=st.none() | st.just(picture(4, 4)),
            maintenance_us=st.none()
            | st.tuples(MOMENTS, MOMENTS).map(lambda both: tuple(sorted(both))),
            fields=st.lists(FIELDS, max_size=3, unique_by=lambda one: one.name).map(tuple),
        ),
        "key",
    ),
    limits=unique(
        st.builds(LimitEntry, quantity=st.just("co2"), place=NAMES, limits=LIMITS), "place"
    ),
    groups=unique(
        st.builds(
            GroupEntry,
            name=NAMES,
            places=st.lists(NAMES, max_size=2).map(tuple),
            series=st.lists(st.tuples(SLUGS, SLUGS), max_size=2).map(tuple),
        ),
        "name",
    ),
    workings=unique(
        st.builds(
            Working,
            slug=SLUGS,
            name=NAMES,
            formula=NAMES,
            made=st.sampled_from(Placement),
            place=st.just("") | NAMES,
            limits=st.none() | LIMITS,
            decimals=st.none() | st.integers(0, 6),
            score=st.none()
            | st.just(
                Score(
                    inputs=(ScoreInput(name="a", formula="b", points=((0, 1), (2.5, 3)), weight=1),)
                )
            ),
        ),
        "slug",
    ),
    plans=unique(
        st.builds(
            PlanEntry,
            name=NAMES,
            picture=st.sampled_from([picture(3, 2), picture(40, 30)]),
            marks=st.lists(
                st.builds(
                    PlanMarkEntry, station=SLUGS, at=st.tuples(st.floats(0, 1), st.floats(0, 1))
                ),
                max_size=2,
            ).map(tuple),
        ),
        "name",
    ),
    doors=st.none()
    | st.lists(
        st.builds(SerialSetting, path=NAMES, baud=st.sampled_from([9600, 115_200]), station=NAMES)
        | st.builds(PollSetting, url=NAMES, station=NAMES, every_s=st.floats(1, 900), alone=NAMES)
        | st.builds(TopicSetting, pattern=NAMES)
        | st.builds(CoapSetting, listen=NAMES)
        | st.builds(ModbusSetting, address=NAMES, station=NAMES, unit=st.integers(0, 9))
        | st.builds(ProbesSetting, root=NAMES)
        | st.builds(BrokerSetting, url=NAMES.map(lambda one: f"mqtt://{one}"), authority=NAMES)
        | st.builds(BluetoothSetting, adapter=st.just("") | NAMES),
        max_size=4,
        unique_by=door_name,
    ).map(tuple),
    channels=unique(
        st.builds(
            Channel,
            name=NAMES,
            sort=st.just(ChannelKind.MQTT),
            topic=NAMES,
            quiet=st.none() | HOURS,
            digest_min=st.none() | st.integers(0, 1439),
        ),
        "name",
    ),
    watches=unique(
        st.builds(
            Watch,
            slug=SLUGS,
            name=NAMES,
            sort=st.sampled_from(WatchKind),
            scope=st.builds(Scope, quantity=SLUGS, place=NAMES),
            limit=NUMBERS,
            clear=st.none() | NUMBERS,
            for_s=SPANS,
            silent_s=SPANS,
            level=st.sampled_from(Level),
            hours=st.none() | HOURS,
        ),
        "slug",
    ),
    sheets=st.none(),
    firmware=st.none() | st.builds(lambda: FirmwareEntry(public=KEY.public, private=KEY.private)),
    page=st.none()
    | st.builds(
        PageEntry,
        on=st.booleans(),
        host=st.sampled_from(["0.0.0.0", "127.0.0.1"]),
        port=st.integers(1, 65535),
        names=st.lists(SLUGS, max_size=2).map(tuple),
        device=st.none() | unique(st.builds(DeviceEntry, name=NAMES, key_hash=SLUGS), "name"),
    ),
    keys=unique(
        st.builds(
            KeyEntry,
            sort=st.just(KeySort.READ),
            name=NAMES,
            key_hash=SLUGS,
            places=st.lists(NAMES, max_size=2).map(tuple),
        )
        | st.builds(KeyEntry, sort=st.just(KeySort.GATEWAY), name=SLUGS, key_hash=SLUGS),
        "name",
    ),
    forwards=unique(
        st.builds(
            Forward,
            slug=st.from_regex(r"[a-z][a-z0-9]{0,12}", fullmatch=True),
            kind=st.just(ForwardKind.HTTP),
            address=st.just("https://parish.example/readings"),
            places=st.lists(NAMES, max_size=2).map(tuple),
            quantities=st.lists(SLUGS, max_size=2).map(tuple),
            form=st.sampled_from(ForwardForm),
            raw=st.booleans(),
            every_s=st.none() | st.floats(1, 86_400),
            is_on=st.booleans(),
        ),
        "slug",
    ),
    bench=st.none()
    | st.lists(
        st.builds(BenchEntry, what=st.just("pair"), series=st.tuples(SERIES_NAMES, SERIES_NAMES))
        | st.builds(
            BenchEntry,
            what=st.just("event"),
            event=st.just("on:switch@mill"),
            before_min=st.floats(1, 500),
            after_min=st.floats(1, 500),
        )
        | st.builds(
            BenchEntry,
            what=st.just("air"),
            series=st.tuples(SERIES_NAMES),
            volume_m3=st.none() | st.floats(1, 500),
            cleaner=st.none() | SERIES_NAMES,
        )
        | st.builds(
            BenchEntry,
            what=st.just("usual"),
            series=st.tuples(SERIES_NAMES),
            above=st.none() | NUMBERS,
        ),
        max_size=3,
    ).map(tuple),
)


@given(CONTENTS)
@settings(max_examples=examples(25))
def test_what_is_written_is_read_as_it_was(content: SiteContent) -> None:
    assert site_from_toml(site_to_toml(content)) == content


def test_doors_of_one_sort_are_told_apart_in_a_file_that_is_there() -> None:
    """Each by what it is named by in a file: an address, a port, a device's number."""
    before = SiteContent(
        doors=(CoapSetting("a:1"), ModbusSetting("b:502", "m", unit=1), ProbesSetting(root="/c"))
    )
    after = SiteContent(
        doors=(
            *(CoapSetting(one) for one in ("a:1", "a:2")),
            *(ModbusSetting("b:502", "m", unit=one) for one in (1, 2)),
            *(ProbesSetting(root=one) for one in ("/c", "/d")),
        )
    )
    assert site_from_toml(site_to_toml(after, site_to_toml(before))) == after


@given(CONTENTS, CONTENTS)
@settings(max_examples=examples(15))
def test_written_into_another_file_it_says_the_same(
    before: SiteContent, after: SiteContent
) -> None:
    assert site_from_toml(site_to_toml(after, site_to_toml(before))) == after


def test_comments_and_what_did_not_change_stay_as_they_are_written() -> None:
    text = (
        "# Ours.\\nformat = 1\\n\\n"
        "# Where the kiln is.\\n[[place]]\\nname    = 'Kiln room' # hot\\n\\n"
        "# To be cleared out.\\n[[place]]\\nname = 'Loft'\\n"
    ).replace("\\n", "\n")
    content = site_from_toml(text)
    assert site_to_toml(content, text) == text
    assert content.places is not None
    (kiln, _) = content.places
    yard = PlaceEntry(name="Yard", outdoors=True)
    again = site_to_toml(SiteContent(places=(kiln, yard)), text)
    assert "# Ours." in again and "name    = 'Kiln room' # hot" in again
    assert "Loft" not in again
    assert site_from_toml(again).places == (kiln, yard)


def test_the_potterys_own_file_is_as_it_would_be_written() -> None:
    text = site_text()
    assert site_to_toml(site_from_toml(text), text) == text


def test_ready_made_files_can_be_read() -> None:
    for name in READY_MADE:
        assert site_from_toml(ready_made(name)).places


def test_a_part_alone() -> None:
    content = site_from_toml(site_text()).only(frozenset({SitePart.WATCHES}))
    assert content.watches and content.places is None and content.site is None


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("name = ", "this is no TOML"),
        ("format = 2", "written by a newer rook-tally"),
        ("format = true", "written by a newer rook-tally"),
        ("[sites]", "a site file holds no sites"),
        ("place = 1", "place is written as [[place]]"),
        ("[[place]]", "place number 1: Object missing required field `name`"),
        ("[[place]]\nname = 'A'\nroof = 1", "place A: Object contains unknown field `roof`"),
        ("[[place]]\nname = 'A'\n[[place]]\nname = 'A'", "place A is there twice"),
        ("[[station]]\nkey = 'a'\nplace = 'A'\nevery = 'soon'", "station a: 'soon' is no length"),
        (
            "[[station]]\nkey = 'a'\nplace = 'A'\n[[station.field]]\nname = 't'\nquantity = 'x'",
            "station a: field t: there is no quantity x",
        ),
        ("[[limit]]\nquantity = 'co2'\nabove = {noticed = 9, raised = 8}", "limit co2: upper"),
        ("[[limit]]\nquantity = 'co2'\nabove = {worse = 9}", "limit co2: Object contains unknown"),
        ("[site]\nlatitude = 91\nlongitude = 0", "site: 91, 0 is nowhere on Earth"),
        ("[site]\nquiet = 'at night'", "site: 'at night' are no hours"),
        ("[[working]]\nslug = 'a'\nname = 'A'\ncolour = 1", "working a: there is no colour"),
        ("[[watch]]\nslug = 'a'\nname = 'A'\nsort = 'odd'\nscope = {}", "watch a: A: Invalid enum"),
        ("#" * 16_000_001, "a site file of 16,000,001 characters is none"),
    ],
)
def test_a_mistake_is_named_with_its_table(text: str, why: str) -> None:
    with pytest.raises(UsageError) as raised:
        site_from_toml(text)
    assert why in raised.value.what
    assert raised.value.kept
