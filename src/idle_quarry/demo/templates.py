"""The templates of Larkmoor Finishing, as its people saved them: with history, and with faults to be found."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from idle_quarry.demo.equipment import bay_four, harbour_six
from idle_quarry.demo.template_parts import FOLDERS, PLACES, SHORT, SHORT_LINE_UP, TRACKS
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.policies import Policy
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import (
    Intermediate,
    MonitorFeed,
    Proxy,
    Sound,
    Source,
    StoragePlace,
    TimecodePlan,
    TimelinePlan,
    Working,
)
from idle_quarry.signal import format_from_words as words


@dataclass(frozen=True)
class SavedTemplate:
    """A revision as somebody saved it."""

    template: Template
    author: str
    time: str
    note: str
    state: str
    #: The revision it began from, where that is not the one before.
    parent: int | None = None
    #: Who said what of which place, and when.
    remarks: tuple[tuple[str, str, str, str], ...] = ()


def _timelines(vertical: bool = False) -> tuple[TimelinePlan, ...]:
    main = (TimelinePlan(id="main", name="Programme", tracks=TRACKS),)
    if not vertical:
        return main
    return (
        *main,
        TimelinePlan(id="upright", name="Upright 9x16", width=1080, height=1920, tracks=SHORT),
        TimelinePlan(id="square", name="Square 1x1", width=1080, height=1080, tracks=SHORT),
    )


def _saltmarsh() -> Template:
    return Template(
        name="Saltmarsh Hours",
        note="Nature series. Estuary cameras record HLG; older tapes only where the story needs them.",
        sources=(
            Source(id="estuary", name="Estuary cameras", format=words("2160p50 hlg"), share=80),
            Source(id="tape", name="Tape archive", format=words("576i25 4:3"), share=20),
        ),
        working=Working(format=words("2160p50 hlg")),
        intermediate=Intermediate(codec="rdd36-hq", place="cache", streams=3),
        proxy=Proxy(divisor=4),
        monitor=MonitorFeed(monitor="bay-two-grade", format=words("1080p25")),
        deliveries=(delivered("uhd-50"), delivered("hd-50", name="Network HD")),
        sound=Sound(layout="5.1"),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(vertical=True),
    )


def _lamp_room() -> Template:
    return Template(
        name="The Lamp Room",
        note="Lighthouse archive: 4:3 tapes and film scans into a 1080i25 programme.",
        sources=(
            Source(id="tapes", name="Tape archive", format=words("576i25 4:3 bff 8bit 4:2:0"), share=65),
            Source(id="scans", name="Film scans", format=words("1080psf25"), share=35),
        ),
        working=Working(format=words("1080i25")),
        intermediate=Intermediate(codec="avci-100", place="cache", streams=4),
        monitor=MonitorFeed(monitor="bay-two-grade", format=words("1080i25")),
        deliveries=(delivered("hd-50"), delivered("sd-50")),
        timecode=SHORT_LINE_UP,
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _sheet_seven() -> Template:
    return Template(
        name="Sheet Seven",
        territory="59.94 Hz",
        note="Curling league. Fixed cameras interlaced, two roaming cameras at 59.94 pictures.",
        sources=(
            Source(id="fixed", name="Fixed cameras", format=words("1080i29.97"), share=70),
            Source(id="roaming", name="Roaming cameras", format=words("1080p59.94"), share=30),
        ),
        working=Working(format=words("1080i29.97")),
        intermediate=Intermediate(codec="vc3-220x", place="cache", streams=6),
        monitor=MonitorFeed(monitor="lounge", format=words("1080i29.97")),
        deliveries=(delivered("hd-59"), delivered("web-landscape", name="League page")),
        sound=Sound(line_up_dbfs=-20, loudness_lufs=-24, true_peak_dbtp=-2, layout="5.1"),
        timecode=TimecodePlan(start="01:00:00:00", drop=True),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _narrow_gauge() -> Template:
    return Template(
        name="Narrow Gauge",
        note="Feature documentary, shot at 23.976; broadcast at 25 and a scope print.",
        sources=(Source(id="train", name="Train cameras", format=words("1080p23.976"), share=100),),
        working=Working(format=words("1080p23.976")),
        intermediate=Intermediate(codec="rdd36-4444", place="cache", streams=2),
        proxy=Proxy(codec="avc-light", divisor=2),
        monitor=MonitorFeed(monitor="bay-two-grade", format=words("1080psf23.976")),
        deliveries=(delivered("hd-50-psf", name="Broadcast 25"), delivered("cinema-scope", name="Scope print")),
        sound=Sound(layout="5.1"),
        timecode=TimecodePlan(start="01:00:00:00"),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _ferry_talk() -> Template:
    """As it was begun in September: bay 4's panel has another board since."""
    return Template(
        name="Ferry Talk",
        note="Talk show from the ferry's saloon, for Harbour Six by its own spec.",
        sources=(
            Source(id="saloon", name="Saloon cameras", format=words("1080i25"), share=85),
            Source(id="deck", name="Deck cameras", format=words("1080p50"), share=15),
        ),
        working=Working(format=words("1080i25")),
        intermediate=Intermediate(codec="avci-100", place="cache", streams=4),
        monitor=MonitorFeed(monitor=bay_four().id, format=words("1080i25")),
        deliveries=(delivered(harbour_six().id),),
        sound=Sound(true_peak_dbtp=-3, layout="stereo-me"),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _house_hd() -> Template:
    return Template(
        name="House HD 50i",
        note="The house's standard: interlaced cameras in, 1080i25 out, nothing converted.",
        sources=(Source(id="cameras", name="Studio cameras", format=words("1080i25")),),
        working=Working(format=words("1080i25")),
        intermediate=Intermediate(codec="avci-100", place="cache", streams=4),
        monitor=MonitorFeed(monitor="suite-sdr", format=words("1080i25")),
        deliveries=(delivered("hd-50"),),
        timecode=SHORT_LINE_UP,
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _house_uhd() -> Template:
    return Template(
        name="House UHD HLG 50p",
        note="UHD from camera to delivery.",
        sources=(Source(id="cameras", name="UHD cameras", format=words("2160p50 hlg")),),
        working=Working(format=words("2160p50 hlg")),
        intermediate=Intermediate(codec="rdd36-standard", place="cache", streams=3),
        proxy=Proxy(divisor=4),
        monitor=MonitorFeed(monitor="bay-three-hdr", format=words("2160p50 hlg")),
        deliveries=(delivered("uhd-50"),),
        sound=Sound(layout="5.1"),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def _web_trio() -> Template:
    return Template(
        name="Web trio 25p",
        territory="web",
        note="Landscape, upright and square from one cut.",
        sources=(Source(id="handheld", name="Handheld cameras", format=words("1080p30.00 8bit 4:2:0"), share=100),),
        working=Working(format=words("1080p25")),
        intermediate=Intermediate(codec="rdd36-lt", place="cache", streams=3),
        monitor=MonitorFeed(monitor="suite-sdr", format=words("1080p25")),
        deliveries=(delivered("web-landscape"), delivered("web-vertical"), delivered("web-square")),
        sound=Sound(loudness_lufs=-16),
        timecode=TimecodePlan(start="00:00:00:00"),
        places=(
            StoragePlace(
                id="work", name="Laptop", purpose="work", path="/home/runa/jobs", disk="system", plays_mb_s=300
            ),
            StoragePlace(
                id="cache",
                name="Travel disk",
                purpose="cache",
                path="/media/travel/cache",
                disk="external",
                plays_mb_s=380,
            ),
        ),
        folders=FOLDERS[:4],
        timelines=_timelines(vertical=True),
    )


def _old_sd() -> Template:
    return Template(
        name="Archive SD 16:9",
        note="For repeats of the first series; the picture is stretched on purpose, Odo says. Is it?",
        sources=(
            Source(
                id="tapes", name="4:3 tapes", format=words("576i25 4:3 8bit"), share=100, policy=Policy(fit="stretch")
            ),
        ),
        working=Working(format=words("576i25 16:9 8bit")),
        intermediate=Intermediate(codec="d10-50", place="cache", streams=2),
        monitor=MonitorFeed(monitor="bay-one-tube", format=words("576i25 16:9")),
        deliveries=(delivered("sd-50"),),
        places=PLACES,
        folders=FOLDERS[:3],
        timelines=_timelines(),
    )


def _scope_print() -> Template:
    return Template(
        name="Scope print 24",
        territory="cinema",
        note="For prints made from 24-picture material.",
        sources=(Source(id="master", name="4K master", format=words("4096x1716p24 p3 12bit 4:4:4"), share=100),),
        working=Working(format=words("4096x1716p24 p3 12bit 4:4:4")),
        intermediate=Intermediate(codec="rdd36-4444-xq", place="cache", streams=2),
        monitor=MonitorFeed(monitor="bay-three-hdr", format=words("4096x2160p24")),
        deliveries=(delivered("cinema-scope"),),
        sound=Sound(line_up_dbfs=-20, layout="5.1"),
        timecode=TimecodePlan(start="01:00:00:00"),
        places=PLACES,
        folders=FOLDERS,
        timelines=_timelines(),
    )


def house_shelf() -> Iterator[list[SavedTemplate]]:
    """Yield the history of each template of the house shelf, oldest revision first."""
    salt = _saltmarsh()
    first = edited(
        salt,
        Edit("deliveries", salt.deliveries[1:]),
        Edit("intermediate.codec", "vc3-hr-hqx"),
        Edit("monitor.format", words("1080i25")),
        Edit("sound.layout", "stereo"),
        Edit("timelines", salt.timelines[:1]),
    )
    second = edited(first, Edit("deliveries", salt.deliveries), Edit("sound.layout", "5.1"))
    third = edited(second, Edit("timelines", salt.timelines), Edit("intermediate.codec", "rdd36-hq"))
    yield [
        SavedTemplate(first, "Runa", "2026-08-03T09:12:00+00:00", "First version, from the pilot", "approved"),
        SavedTemplate(second, "Odo", "2026-09-14T15:40:00+00:00", "UHD delivery and surround added", "approved"),
        SavedTemplate(
            third, "Runa", "2026-10-02T10:05:00+00:00", "Upright and square timelines for the trailers", "approved"
        ),
        SavedTemplate(
            edited(third, Edit("sound.line_up_dbfs", -20.0), Edit("monitor.format", words("1080psf25"))),
            "Wren",
            "2026-11-19T16:30:00+00:00",
            "Line-up as the mixers want it; bay 2 takes PsF",
            "draft",
        ),
        SavedTemplate(
            salt, "Odo", "2026-11-20T17:58:00+00:00", "Bay 2 at 25 pictures for the grade", "draft", parent=3
        ),
    ]
    lamp = _lamp_room()
    labelled = edited(lamp, Edit("sources.tapes.format", words("576i25 4:3")))
    yield [
        SavedTemplate(labelled, "Wren", "2026-09-21T08:30:00+00:00", "As the tape labels say", "approved"),
        SavedTemplate(
            lamp,
            "Wren",
            "2026-11-09T11:20:00+00:00",
            "The tapes are lower field first, whatever the labels say",
            "approved",
        ),
    ]
    seven = _sheet_seven()
    thirty = edited(seven, Edit("sources.fixed.format", words("1080i30.00")))
    yield [
        SavedTemplate(thirty, "Tamsin", "2026-10-12T13:00:00+00:00", "League start", "approved"),
        SavedTemplate(seven, "Tamsin", "2026-10-13T07:45:00+00:00", "The cameras show 30; it is 29.97", "approved"),
    ]
    gauge = _narrow_gauge()
    yield [
        SavedTemplate(
            edited(gauge, Edit("intermediate.codec", "rdd36-hq")),
            "Ivo",
            "2026-07-01T09:00:00+00:00",
            "Shoot begins",
            "approved",
        ),
        SavedTemplate(
            gauge,
            "Ivo",
            "2026-10-28T16:10:00+00:00",
            "4444 for the print",
            "in review",
            remarks=(
                (
                    "Odo",
                    "2026-10-29T09:20:00+00:00",
                    "setting intermediate.codec",
                    "Does the cache disk play it? Bay 1 stutters.",
                ),
                (
                    "Ivo",
                    "2026-10-29T11:05:00+00:00",
                    "setting intermediate.codec",
                    "Measured on bay 2: one stream with room to spare.",
                ),
            ),
        ),
    ]
    hd = _house_hd()
    yield [
        SavedTemplate(
            edited(hd, Edit("intermediate.codec", "vc3-220x")),
            "Odo",
            "2026-03-02T09:00:00+00:00",
            "House standard",
            "approved",
        ),
        SavedTemplate(
            hd, "Odo", "2026-05-18T09:00:00+00:00", "Lighter intermediate, measured on the cache disk", "approved"
        ),
    ]
    yield [SavedTemplate(_ferry_talk(), "Tamsin", "2026-09-15T09:00:00+00:00", "Pilot", "approved")]
    yield [SavedTemplate(_house_uhd(), "Runa", "2026-06-15T12:00:00+00:00", "House standard for UHD", "approved")]
    yield [SavedTemplate(_old_sd(), "Odo", "2026-02-11T09:00:00+00:00", "For the repeats", "withdrawn")]
    yield [SavedTemplate(_scope_print(), "Ivo", "2026-08-20T14:00:00+00:00", "Prints from 24", "approved")]


def own_shelf() -> Iterator[list[SavedTemplate]]:
    """Yield the history of each template on Runa's own shelf."""
    yield [SavedTemplate(_web_trio(), "Runa", "2026-11-02T18:22:00+00:00", "Trailers on the road", "draft")]
    quick = edited(
        _house_hd(),
        Edit("name", "House HD, try-out PsF"),
        Edit("working.format", words("1080psf25")),
        Edit("deliveries", (delivered("hd-50-psf"),)),
        Edit("note", "Would PsF do for the talk shows?"),
        Edit("monitor.monitor", "bay-two-grade"),
        Edit("monitor.format", words("1080psf25")),
    )
    yield [SavedTemplate(quick, "Runa", "2026-11-18T10:00:00+00:00", "A try", "draft")]
