"""The live line: instruments read by profiles on real ptys, recorded, killed, unplugged."""

from __future__ import annotations

import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from gezeiten.archive.store.tables import Offload
from gezeiten.desk.intake.live import LiveNews, LivePlan, Recorder, checked_plan, recover_journals
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import InputError, LoggerAnswerError, LoggerAwayError
from gezeiten.link.instruments import sdi12
from gezeiten.link.instruments.instrument import open_instrument, sensors_on
from gezeiten.link.instruments.profile import Profile, find_profiles, profile_of, read_profile
from tests.conftest import Lab

POINT = "Krabbenkoog · Live"
StartInstrument = Callable[..., Path]


@pytest.fixture
def start_instrument(tmp_path: Path) -> Iterator[StartInstrument]:
    """Start practice instruments that end with the test."""
    running: list[subprocess.Popen[str]] = []

    def start(kind: str, *options: str) -> Path:
        path = tmp_path / f"tty-{kind}"
        command = [
            sys.executable,
            "-m",
            "gezeiten",
            "standin",
            "instrument",
            kind,
            "--cable",
            str(path),
            *options,
        ]
        process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        running.append(process)
        assert process.stdout is not None
        process.stdout.readline()
        return path

    yield start
    for process in running:
        process.communicate()


def profile(name: str) -> Profile:
    return next(p for p, _ in find_profiles() if name in p.name)


def live_plan(name: str, port: Path, **more: object) -> LivePlan:
    facts: dict[str, object] = {"every_s": 1.0, "stop_after": 2, **more}
    return LivePlan(profile(name), str(port), "Mast", POINT, **facts)  # type: ignore[arg-type]


def recorded(lab: Lab, plan: LivePlan) -> list[LiveNews]:
    news: list[LiveNews] = []
    Recorder(lab.desk, plan, news.append, lambda: False).run()
    return news


def series(lab: Lab, channel: str) -> tuple[np.ndarray, np.ndarray]:
    made = record(lab.desk, point_named(lab.desk, POINT).id, channel)
    return made.times_utc_ms, made.values


@pytest.mark.parametrize(
    ("kind", "name", "channel", "wave", "resolution"),
    [
        ("lines", "lines", "air_temperature", (11, 4, 300), 0.01),
        ("registers", "registers", "co2", (1040, 160, 300), 1),
        ("sdi12", "SDI-12", "water_level", (2, 0.3, 200), 0.001),
    ],
)
def test_each_kind_of_instrument_is_recorded(
    lab: Lab,
    start_instrument: StartInstrument,
    kind: str,
    name: str,
    channel: str,
    wave: tuple[float, float, float],
    resolution: float,
) -> None:
    options = ("--every", "0.1") if kind == "lines" else ()
    every = 6.0 if kind == "sdi12" else 1.0
    began_s = time.time()
    news = recorded(lab, live_plan(name, start_instrument(kind, *options), every_s=every))
    assert [n.kind for n in news].count("reading") == 2
    assert any(n.kind == "sample" and n.text for n in news)
    assert news[-1].kind == "ended"
    times, values = series(lab, channel)
    assert len(times) == 2
    assert np.all(times % round(every * 1000) == 0)
    # the practice instrument's slow sine (middle, swing, seconds per radian) while this was read
    middle, swing, radian_s = wave
    while_read = middle + swing * np.sin(np.linspace(began_s, time.time()) / radian_s)
    assert np.all(values >= while_read.min() - resolution)
    assert np.all(values <= while_read.max() + resolution)
    with lab.desk.archive.reading() as session:
        assert session.scalars(select(Offload)).one().route == "live line"
    assert verify(lab.desk).is_intact
    assert list(lab.desk.archive.incoming.iterdir()) == []


@pytest.mark.parametrize("means_of", [1, 3])
def test_every_sample_is_kept_or_the_mean_of_so_many(
    lab: Lab, start_instrument: StartInstrument, means_of: int
) -> None:
    port = start_instrument("lines", "--every", "0.1")
    news = recorded(lab, live_plan("lines", port, every_s=0.0, means_of=means_of, stop_after=4))
    samples = [n.values["air_temperature"] for n in news if n.kind == "sample" and n.values]
    times, values = series(lab, "air_temperature")
    wanted = np.array(samples[: 4 * means_of]).reshape(4, means_of).mean(axis=1)
    assert values == pytest.approx(wanted)
    assert np.all(np.diff(times) > 0)
    assert verify(lab.desk).is_intact


def test_a_text_that_an_instrument_saved_elsewhere_is_read_as_its_line_is(
    lab: Lab, tmp_path: Path
) -> None:
    """The shipped weather mast prints "T=12.34 RH=56.7"; a terminal put the time in front."""
    path = tmp_path / "terminal.log"
    path.write_text(
        "".join(f"2024-03-05 10:{i:02}:00 T={4 + i / 8:.2f} RH={80 - i}\n" for i in range(30))
    )
    recognised = recognise_text(lab.desk, path)
    assert [(c.column, c.quantity, c.unit) for c in recognised.proposal.columns] == [
        (2, "air_temperature", "°C"),
        (3, "relative_humidity", "%"),
    ]
    template = proposed_template(recognised, "Mast")
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    imported = import_text(lab.desk, path, replace(template, point=POINT, form=form))
    assert imported.readings == 30
    assert series(lab, "relative_humidity")[1][:2] == pytest.approx([80, 79])


def test_a_reading_is_the_mean_of_the_samples_in_between(
    lab: Lab, start_instrument: StartInstrument
) -> None:
    plan = live_plan("lines", start_instrument("lines", "--every", "0.1"), stop_after=3)
    news = recorded(lab, plan)
    stretches: list[list[float]] = [[]]
    seconds: list[set[int]] = [set()]
    means, ends = [], []
    for one in news:
        if one.kind == "sample" and one.values:
            stretches[-1].append(one.values["air_temperature"])
            seconds[-1].add(one.at_ms // 1000)
        elif one.kind == "reading":
            means.append(one.values["air_temperature"])
            ends.append(one.at_ms)
            stretches.append([])
            seconds.append(set())
    # the sample that closes a stretch is told after its reading
    assert means == pytest.approx([np.mean(s) for s in stretches[: len(means)]])
    # how many there are depends on when they come; each counts in the second in which it came
    assert len(stretches[1]) > 2
    assert [{end // 1000 - 1} for end in ends] == seconds[: len(ends)]
    assert series(lab, "air_temperature")[1].tolist() == means  # to the last digit


def test_unplugged_and_back_in_goes_on_with_a_gap(
    lab: Lab, start_instrument: StartInstrument
) -> None:
    port = start_instrument("lines", "--every", "0.2", "--out", "2", "5")
    news = recorded(lab, live_plan("lines", port, stop_after=4))
    kinds = [n.kind for n in news if n.kind in ("away", "back")]
    assert kinds[-2:] == ["away", "back"]
    times, _ = series(lab, "air_temperature")
    assert len(times) == 4
    assert np.diff(times).max() >= 3_000


def test_it_waits_for_an_instrument_that_is_not_there_yet_and_can_be_stopped(
    lab: Lab, tmp_path: Path
) -> None:
    ended = threading.Event()
    news: list[LiveNews] = []

    def tell(live_news: LiveNews) -> None:
        news.append(live_news)
        ended.set()  # at the first news, "away"

    plan = live_plan("lines", tmp_path / "nowhere")
    assert Recorder(lab.desk, plan, tell, ended.is_set).run() == 0
    assert [n.kind for n in news] == ["away", "ended"]


_RECORD = """
import os, signal, sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.intake.live import LivePlan, Recorder
from gezeiten.link.instruments.profile import find_profiles
profile = next(p for p, _ in find_profiles() if "lines" in p.name)
def tell(news):
    if news.kind == "reading" and news.readings == 2:
        os.kill(os.getpid(), signal.SIGKILL)
plan = LivePlan(profile, sys.argv[2], "Mast", "Krabbenkoog · Live", 1.0, None)
Recorder(open_workspace(Path(sys.argv[1])), plan, tell, lambda: False).run()
"""


def test_killed_while_recording_every_reading_is_there(
    lab: Lab, start_instrument: StartInstrument
) -> None:
    port = start_instrument("lines", "--every", "0.2")
    command = [sys.executable, "-c", _RECORD, str(lab.desk.archive.folder), str(port)]
    assert subprocess.run(command, check=False).returncode == -signal.SIGKILL
    [journal] = lab.desk.archive.incoming.glob("*.live")
    with journal.open("a") as file:
        file.write("17636")  # as if it had been killed in the middle of a line
    assert recover_journals(lab.desk) == 1
    assert len(series(lab, "air_temperature")[0]) == 2
    assert recover_journals(lab.desk) == 0
    (lab.desk.archive.incoming / "junk.live").write_text("no tie\n")
    assert recover_journals(lab.desk) == 0
    assert (lab.desk.archive.incoming / "junk.unreadable").exists()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"point": " "}, "The point is missing"),
        ({"name": ""}, "The instrument has no name"),
        ({"every_s": 0.1}, "The interval must be between one second and one day."),
        ({"stop_after": 0}, "At least one"),
    ],
)
def test_a_plan_that_cannot_be_recorded_says_why(change: dict[str, object], words: str) -> None:
    from dataclasses import replace

    plan = LivePlan(profile("lines"), "x", "Mast", POINT, 1.0)
    with pytest.raises(InputError, match=words):
        checked_plan(replace(plan, **change))  # type: ignore[arg-type]


# -- SDI-12
def test_the_crc_is_that_of_the_standard() -> None:
    # SDI-12 version 1.4, 4.4.12.3: the example answer "0+3.14" carries "OqZ"
    assert sdi12.crc_text("0+3.14") == "OqZ"
    assert sdi12.without_crc("0+3.14OqZ") == "0+3.14"
    with pytest.raises(LoggerAnswerError):
        sdi12.without_crc("0+3.15OqZ")


def test_sensors_on_a_bus_are_found_and_identified(start_instrument: StartInstrument) -> None:
    [sensor] = sensors_on(str(start_instrument("sdi12")), profile("SDI-12"))
    assert (sensor.address, sensor.version, sensor.vendor) == ("3", "1.4", "GEZEITEN")
    assert (sensor.model, sensor.firmware, sensor.serial) == ("PRIELX", "010", "Practice")


class Bus:
    """Answers by hand; keeps what was asked."""

    def __init__(self, answers: dict[str, str]) -> None:
        self.answers, self.asked = answers, list[str]()

    def __call__(self, command: str, wait_s: float) -> str:
        self.asked.append(command)
        return self.answers.get(command, "")


def signed(body: str) -> str:
    return body + sdi12.crc_text(body)


def test_values_of_several_answers_and_a_sensor_that_takes_its_time() -> None:
    bus = Bus({"5MC!": "50023", "5D0!": signed("5+1.5-2"), "5D1!": signed("5+.25")})
    assert sdi12.measure(bus, "5") == [1.5, -2.0, 0.25]
    assert bus.asked == ["5MC!", "", "5D0!", "5D1!"]


def test_two_sensors_are_told_apart() -> None:
    assert sdi12.find_addresses(Bus({"?!": "0", "0!": "0", "4!": "4"})) == ["0", "4"]
    assert sdi12.find_addresses(Bus({"?!": "x0y", "a!": "a", "Z!": "Z"})) == ["a", "Z"]


@pytest.mark.parametrize(
    ("answers", "kind"),
    [
        ({}, LoggerAwayError),
        ({"5MC!": "5abc"}, LoggerAnswerError),
        ({"5MC!": "50002", "5D0!": signed("5+1")}, LoggerAnswerError),
        ({"5MC!": "50001", "5D0!": signed("6+1")}, LoggerAnswerError),
    ],
)
def test_a_sensor_that_fails_is_said(answers: dict[str, str], kind: type[Exception]) -> None:
    with pytest.raises(kind):
        sdi12.measure(Bus(answers), "5")


@given(st.text(max_size=60))
def test_no_answer_makes_a_value_of_nothing(answer: str) -> None:
    bus = Bus({"5MC!": "50001", "5D0!": answer})
    with pytest.raises((LoggerAnswerError, LoggerAwayError)):
        sdi12.measure(bus, "5")


# -- profiles
GOOD = {
    "name": "X",
    "kind": "lines",
    "pattern": r"(?P<t>[\d.]+)",
    "value": [{"source": "t", "quantity": "air_temperature", "unit": "°F"}],
}


def test_a_profile_reads_lines_in_recorded_units() -> None:
    made = profile_of(GOOD, "x.toml")
    assert made.settings == "9600 8N1"
    assert made.read_line("t is 50.0 F") == {"air_temperature": pytest.approx(10.0)}
    assert made.read_line("nothing") is None


@pytest.mark.parametrize(
    "change",
    [
        {"kind": "magic"},
        {"pattern": "("},
        {"pattern": "(?P<other>x)"},
        {"value": []},
        {"every_s": 0},
        {"port": {"parity": "X"}},
        {"port": {"data_bits": 9}},
        {"value": [{"source": "t", "quantity": "luck", "unit": ""}]},
        {"value": [{"source": "t", "quantity": "co2", "unit": "°C"}]},
        {"value": [{"source": "t", "quantity": "co2", "unit": "ppm", "factor": 0}]},
        {"kind": "registers"},
        {"name": None, "kind": 3},
    ],
)
def test_a_profile_that_cannot_be_is_refused(change: dict[str, object]) -> None:
    with pytest.raises(InputError, match=r"x\.toml cannot be used"):
        profile_of({**GOOD, **change}, "x.toml")


def test_profiles_of_a_folder_stand_beside_those_that_come_along(tmp_path: Path) -> None:
    (tmp_path / "own.toml").write_text(
        'name="Own"\nkind="lines"\npattern="(?P<a>\\\\d+)"\n'
        '[[value]]\nsource="a"\nquantity="co2"\nunit="ppm"\n'
    )
    (tmp_path / "broken.toml").write_text("= nonsense")
    names = [p.name for p, _ in find_profiles(tmp_path)]
    assert "Own" in names
    assert len(names) == 4
    with pytest.raises(InputError, match=r"is not an instrument profile \("):
        read_profile(tmp_path / "broken.toml")
    with pytest.raises(InputError, match="cannot be read"):
        read_profile(tmp_path / "none.toml")


def test_a_port_that_is_not_there(tmp_path: Path, lab: Lab) -> None:
    with pytest.raises(LoggerAwayError):
        open_instrument(str(tmp_path / "none"), profile("lines"), lab.desk.clock)
