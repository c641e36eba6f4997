"""The honest part of a report: what is missing and how it was mended, and what the figures rest
on: plans, clocks, calibrations, offloads, fingerprints and how to compute them."""

from __future__ import annotations

import math

from reportlab.lib.units import mm
from reportlab.platypus import Flowable

from gezeiten.domain.base.wording import counted, grouped
from gezeiten.domain.facts.stored import Remark, StoredClockCorrection
from gezeiten.domain.plan.plan_words import rule_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.clocks.clock_uncertainty import clock_u_ms
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.timeline import DAY_MS, Span, duration_text
from gezeiten.domain.steps.checks.comparing import CheckComparison
from gezeiten.report.content import ReportMission
from gezeiten.report.pieces import WIDTH, PageBuilder


def evidence_part(p: PageBuilder) -> list[Flowable]:
    """Return everything that an auditor asks after the figures."""
    return [
        *_gaps(p),
        *_remarks(p),
        *_checks(p),
        *_corrected(p),
        *_calculated(p),
        *_plans(p),
        *_clocks(p),
        *_calibrations(p),
        *_fingerprints(p),
    ]


def _gaps(p: PageBuilder) -> list[Flowable]:
    parts: list[Flowable] = [p.text("Gaps and how they were filled", p.head)]
    if p.report.dated_later:
        many = counted(p.report.dated_later, "reading is", "readings are")
        parts.append(
            p.text(
                f"{many} dated after {p.time(p.report.made_ms)}, when this document was made: the "
                "clock of a logger was wrong. Their time is not known until it is corrected."
            )
        )
    if not p.report.gaps:
        return [*parts, p.text("None: there are readings from the start to the end of the period.")]
    rows = [["From", "To", "Readings", "Channels", "How filled"]]
    rows += [
        [
            p.time(gap.start_ms),
            p.time(gap.end_ms),
            grouped(gap.missing),
            ", ".join(quantity(key).name for key in gap.channels) or "all",
            gap.resolution,
        ]
        for gap in p.report.gaps
    ]
    return [*parts, p.table(rows, [28 * mm, 28 * mm, 17 * mm, 44 * mm, WIDTH - 117 * mm])]


def _remarks(p: PageBuilder) -> list[Flowable]:
    if not p.report.remarks:
        return []
    rows = [["From", "To", "About", "Remark", "By"]]
    rows += [
        [
            p.time(remark.start_ms),
            p.time(remark.end_ms) if remark.end_ms > remark.start_ms else "",
            _correction_lines(remark),
            remark.text,
            remark.stated_by,
        ]
        for remark in p.report.remarks
    ]
    widths = [28 * mm, 28 * mm, 34 * mm, WIDTH - 112 * mm, 22 * mm]
    return [p.text("Remarks", p.head), p.table(rows, widths)]


def _correction_lines(remark: Remark) -> str:
    if remark.whole_site:
        return "the whole site"
    return quantity(remark.series).name if remark.series else "the point"


def _checks(p: PageBuilder) -> list[Flowable]:
    """What was read by hand, beside the record; whether it was as often as it should be."""
    parts: list[Flowable] = []
    if p.report.checks:
        rows = [["When", "Series", "Check reading", "Record", "Difference", "By"]]
        rows += [_check(p, check) for check in p.report.checks]
        parts = [p.table(rows, [28 * mm, 36 * mm, WIDTH - 144 * mm, 25 * mm, 35 * mm, 20 * mm])]
    if p.report.check_schedule:
        missed = [
            schedule_day for schedule_day in p.report.check_schedule if not schedule_day.is_met
        ]
        words = (
            f"Check readings were due on {counted(len(p.report.check_schedule), 'day', 'days')}; "
            "on "
        )
        words += f"{len(p.report.check_schedule) - len(missed)} there were as many as required."
        if missed:
            listed = ", ".join(
                f"{one.day:%d.%m.%Y} ({one.readings} of {one.due})" for one in missed
            )
            words += f" Too few: {listed}."
        parts.append(p.text(words))
    return [p.text("Check readings", p.head), *parts] if parts else []


def _check(p: PageBuilder, check_comparison: CheckComparison) -> list[str]:
    check, its = check_comparison.check, quantity(check_comparison.check.series)

    def shown(value: float) -> str:
        return f"{value:.{its.decimals}f} {its.unit}".rstrip() if math.isfinite(value) else ""

    read = [shown(check.value)] + ([f"dip {check.dip_m:.3f} m"] if check.dip_m is not None else [])
    off = [
        f"{check_comparison.difference:+.{its.decimals}f} ± {check_comparison.u:.{its.decimals}f}"
        if math.isfinite(check_comparison.difference)
        else ""
    ]
    ends = (
        ("lowest", check.low, check_comparison.low),
        ("highest", check.high, check_comparison.high),
    )
    for name, value, difference in ends:
        read += [f"{name} {shown(value)}"] if value is not None else []
        off += [f"{name} {difference:+.{its.decimals}f}"] if difference is not None else []
    return [
        p.time(check.at_ms),
        its.name,
        ", ".join(filter(None, read)),
        shown(check_comparison.recorded) or "no reading",
        ", ".join(filter(None, off)),
        check.by,
    ]


def _corrected(p: PageBuilder) -> list[Flowable]:
    """What stands between what was recorded and what is shown, where anything does."""
    if not p.report.corrections:
        return []
    rows = [["Series", "Step", "From", "To", "Set by", "Reason"]]
    rows += [
        [
            quantity(correction.series).name,
            f"{correction.step}: {correction.does}",
            p.time(correction.start_ms),
            p.time(correction.end_ms),
            f"{correction.person}, {p.time(correction.at_ms)[:10]}",
            correction.reason,
        ]
        for correction in p.report.corrections
    ]
    widths = [30 * mm, 42 * mm, 26 * mm, 26 * mm, 22 * mm, WIDTH - 146 * mm]
    return [p.text("Corrections", p.head), p.table(rows, widths)]


def _calculated(p: PageBuilder) -> list[Flowable]:
    rows = [
        [quantity(channel.key).name, f"{channel.formula_text}."]
        for channel in p.report.channels
        if channel.formula_text
    ]
    if not rows:
        return []
    table = p.table([["Series", "Formula"], *rows], [44 * mm, WIDTH - 44 * mm])
    return [p.text("Calculated series", p.head), table]


def _first_reading_line(p: PageBuilder, mission: ReportMission) -> str:
    if mission.record == "recorded":
        return p.time(mission.first_ms)
    return "not yet" if mission.record == "waiting" else "never recorded"


def _in_force(p: PageBuilder, span: Span) -> str:
    """Say from when to when a limit was in force, where that was not the whole stretch."""
    begins, ends = span[0] > p.report.span[0], span[1] < p.report.span[1]
    since = f", from {p.time(span[0])}" if begins else ""
    return since + (f", until {p.time(span[1])}" if ends else "")


def _plans(p: PageBuilder) -> list[Flowable]:
    rows = [["Mission", "Logger", "First reading", "Interval", "Ends"]]
    rows += [
        [
            str(m.number),
            m.serial,
            _first_reading_line(p, m),
            duration_text(m.interval_s * 1000),
            m.end,
        ]
        for m in p.report.missions
    ]
    limits = [["Channel", "Limit"]]
    limits += [
        [quantity(channel.key).name, f"{rule_text(rule)}{_in_force(p, span)}"]
        for channel in p.report.channels
        for rule, span in channel.rules_by_time()
    ]
    limits += [
        [quantity(channel.key).name, "none"] for channel in p.report.channels if not channel.rules
    ]
    widths = [18 * mm, 26 * mm, 40 * mm, 30 * mm, WIDTH - 114 * mm]
    return [
        p.text("Plans and limits", p.head),
        p.table(rows, widths),
        p.text("Limits", p.subhead),
        p.table(limits, [50 * mm, WIDTH - 50 * mm]),
    ]


def _clocks(p: PageBuilder) -> list[Flowable]:
    rows = [["Read at", "Logger", "Logger clock against computer"]]
    rows += [
        [p.time(offload.at_ms), mission.serial, f"{offload.clock_difference_ms / 1000:+.1f} s"]
        for mission in p.report.missions
        for offload in mission.offloads
        if offload.clock_difference_ms is not None
    ]
    parts: list[Flowable] = [p.text("Clocks", p.head)]
    for clock in p.report.clocks:
        first, last = (move_ms / 1000 for move_ms in clock.map.moves_ms)
        until = f" to {last:+.0f} s" if last != first else ""
        words = (
            f"The clock of {clock.serial} in mission {clock.number} was corrected: its readings "
        )
        uncertainty = f"± {clock.uncertainty.u_ms / 1000:.1f} s{_beyond(p, clock)}"
        words += f"are moved by {first:+.0f} s{until} ({uncertainty}), {clock.method}. "
        parts.append(p.text(f"{words}{clock.stated_by}: {clock.reason}"))
    if len(rows) == 1:
        return [*parts, p.text("No clock was compared at the offloads of this period.")]
    return [*parts, p.table(rows, [32 * mm, 32 * mm, WIDTH - 64 * mm])]


def _beyond(p: PageBuilder, clock_correction: StoredClockCorrection) -> str:
    """Say what the instants are sure to at the end of the stretch, where it reaches beyond what was
    measured."""
    last_ms = clock_correction.map.true_ms[-1]
    if p.report.span[1] <= last_ms:
        return ""
    a_day_s = (
        clock_u_ms(clock_correction.map, clock_correction.uncertainty, last_ms + DAY_MS) / 1000
    )
    return f" up to {p.time(last_ms)}, ± {a_day_s:.1f} s a day later, and so on"


def _calibrations(p: PageBuilder) -> list[Flowable]:
    parts: list[Flowable] = [p.text("Calibration", p.head)]
    if not p.report.calibrations:
        return [*parts, p.text("No calibration of these loggers is on record.")]
    rows = [["Logger", "Calibrated", "Valid until", "Certificate"]]
    rows += [
        [
            calibration.serial,
            p.time(calibration.at_ms)[:10],
            p.time(calibration.until_ms)[:10] if calibration.until_ms else "not stated",
            calibration.certificate or "none stored",
        ]
        for calibration in p.report.calibrations
    ]
    return [*parts, p.table(rows)]


def _fingerprints(p: PageBuilder) -> list[Flowable]:
    rows = [["Offloaded", "By", "How", "SHA-256 of the bytes as received"]]
    rows += [
        [p.time(offload.at_ms), offload.person, offload.route, offload.sha256]
        for mission in p.report.missions
        for offload in mission.offloads
    ]
    codes = ", ".join(f"{code.value} {code.file_code}" for code in Quality)
    how = (
        "How to compute it: SHA-256 over the channels in the order of this report; of each all "
        "instants (UTC in milliseconds, 64-bit signed little-endian), then all values as recorded "
        f"(64-bit floating point, little-endian), then all quality codes (one byte; {codes})."
    )
    return [
        p.text("Offloads with these readings", p.head),
        p.table(rows, [28 * mm, 22 * mm, 22 * mm, WIDTH - 72 * mm], small=(3,)),
        p.text("Fingerprint of the readings shown", p.subhead),
        p.text(p.report.fingerprint),
        p.text(how, p.muted),
        *_logbook(p),
    ]


def _logbook(p: PageBuilder) -> list[Flowable]:
    """The end of the logbook: who holds the document can tell later whether it was changed."""
    if not p.report.head_hash:
        return []
    why = (
        "The hash covers this entry and all before it: an archive with an entry "
        "of this hash is, up to there, unchanged since this report was issued."
    )
    head = f"Logbook hash: {p.report.head_hash}."
    return [
        p.text("Logbook at the time of issue", p.subhead),
        p.text(head),
        p.text(why, p.muted),
    ]
