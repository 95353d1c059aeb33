"""Small pieces: the worksheet, preferred values, the sheet, the points."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.blocks.base import recovered_charge, remembered
from rhombos.core.blocks.cooling import settle_junction
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.book import source
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.points import STEADY, operating_points
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Diode
from rhombos.core.units.preferred import E6, E12, E24, at_least, at_most, nearest


@given(value=st.floats(1e-12, 1e9), series=st.sampled_from([E6, E12, E24]))
def test_preferred_values_lie_around_what_is_asked(value, series):
    low, high = at_most(value, series), at_least(value, series)
    assert low <= value * (1 + 1e-9)
    assert high >= value * (1 - 1e-9)
    assert nearest(value, series) in (low, high) or low == high
    assert high / low <= 10 ** (1 / len(series)) * 1.12
    mantissa = f"{nearest(value, series):.1e}".split("e")[0]
    assert float(mantissa) in series


@pytest.mark.parametrize("value", [0, -1, float("nan"), float("inf")])
def test_what_has_no_preferred_value_is_refused(value):
    with pytest.raises(ValueError, match="above zero"):
        nearest(value)


def test_the_ledger_keeps_what_was_worked():
    worksheet = Worksheet()
    assert worksheet.work("x.drop", source.ohmic_drop, I=3.0, R=0.1) == pytest.approx(0.3)
    assert worksheet.total("x.sum", {"a": 1.0, "b": 2.5}) == 3.5
    step = worksheet.steps["x.drop"]
    assert (step.relation, step.inputs, step.value) == ("ohmic_drop", {"I": 3.0, "R": 0.1}, pytest.approx(0.3))
    assert worksheet.steps["x.sum"].relation == "sum"


def test_a_silent_ledger_only_computes():
    assert SILENT.work("x.drop", source.ohmic_drop, I=3.0, R=0.1) == pytest.approx(0.3)
    assert SILENT.steps == {}


def test_eight_points_and_which_of_them_are_hot(refuge):
    points = operating_points(refuge)
    assert list(points) == ["nominal", "low", "high", "surge_low", "surge_high", "idle", "idle_high", "limit"]
    assert set(STEADY) < set(points)
    assert points["low"].emf < points["nominal"].emf < points["high"].emf
    assert points["surge_high"].power == refuge.power.surge
    assert points["idle"].power == points["idle_high"].power == 0
    assert points["idle_high"].emf == points["high"].emf
    assert points["limit"].power == 0
    assert points["limit"].emf == pytest.approx(1.06 * points["high"].emf)


@given(gain=st.floats(0, 0.85), base=st.floats(0, 30))
def test_a_junction_settles_where_line_meets_line(gain, base):
    # loss rises with temperature, temperature with loss: T = 40 + gain·T + base
    found = settle_junction(lambda t: 40 + gain * t + base, 1e4)
    assert found == pytest.approx((40 + base) / (1 - gain), rel=1e-3)


def test_a_junction_that_runs_away_ends_far_beyond_its_limit():
    assert settle_junction(lambda t: 40 + 2 * t, 175) == 325


def test_recovered_charge_falls_with_the_current(shelf):
    diode = shelf.get(Diode, "RU-1200-8")
    charges = [float(recovered_charge(diode, i)) for i in (0, 1, 4, 8, 20)]
    assert charges == sorted(charges)
    assert charges[0] == 0
    assert charges[3] == charges[4] == diode.q_rr


def test_a_remembered_proposal_is_asked_once():
    asked = []

    @remembered
    def propose(need, pins):
        """Propose."""
        asked.append(need)
        return (need, tuple(pins.items()))

    assert propose(1, {"a": 2}) == propose(1, {"a": 2})
    assert propose(1, {"a": 3}) != propose(1, {"a": 2})
    assert asked == [1, 1]
    for n in range(400):
        propose(n, {})
    assert propose(0, {}) == (0, ())
    assert propose.__doc__ == "Propose."


@pytest.fixture
def sheet(worked):
    states = {k: s.states["front_end"] for k, s in worked.settled.items()}
    points = {k: s.point for k, s in worked.settled.items()}
    return ReportBuilder(
        "front_end",
        "Push-pull",
        worked.builds["front_end"],
        states,
        points,
        {"front_end": {"parallel": 1}},
        PRESETS["usual"],
        worked.shelf,
    )


def test_a_limited_figure_shows_its_worst_point(sheet):
    worst = sheet.limited("peak_voltage", "V", "Switch voltage", "V", 1000, 0.2)
    assert worst.value == max(s.peak_voltage for s in sheet.states.values())
    figure = sheet.figures[-1]
    assert figure.point == sheet.points[worst.point].label
    assert figure.step == f"{worst.point}:front_end.peak_voltage"
    assert figure.house == 0.8
    assert figure.severity is None
    assert sheet.where(worst) == figure.point


def test_hopeless_points_are_left_out_while_others_remain(sheet):
    sheet.infeasible = frozenset({"surge_high", "surge_low"})
    assert sheet.limited("peak_voltage", "V", "x", "V", 1000).point not in sheet.infeasible
    assert sheet.limited("duty", "D", "x", "1", 0.5, over=("surge_low",)).point == "surge_low"


def test_choices_tell_whether_they_are_pinned(sheet):
    for name in ("parallel", "switch", "fan", "clamp"):
        sheet.choice(name, "", name)
    found = {f.pin: f for f in sheet.figures}
    assert found["front_end.parallel"].status == "pinned"
    assert found["front_end.switch"].status == "proposed"
    assert found["front_end.switch"].part_kind == "mosfet"
    assert found["front_end.fan"].part_options == ("yes", "no")
    assert found["front_end.clamp"].part_options == ("RCD", "none")


def test_a_cure_that_would_change_nothing_is_not_offered(sheet):
    worst = Worst("front_end.loss", 3, "low", 2, 1.6, "stop")
    sheet.find(
        "x",
        "stop",
        "t",
        "c",
        "r",
        worst=worst,
        cures=(
            ("takes a pin away", {"front_end.parallel": None}),
            ("takes away what is not there", {"front_end.switch": None}),
            ("sets one", {"front_end.switch": "MN-150-7.2m-A"}),
        ),
    )
    finding = sheet.findings[-1]
    assert [c.label for c in finding.cures] == ["takes a pin away", "sets one"]
    assert finding.margin == pytest.approx(1 - 3 / 1.6)
    assert worst.margin == finding.margin


def test_a_closed_sheet_carries_its_worst(sheet):
    sheet.limited("peak_voltage", "V", "x", "V", 50)
    sheet.find("x", "fix", "t", "c", "r")
    sheet.find("y", "note", "t", "c", "r")
    report = sheet.close("head", "remark", 100.0, 90.0, {})
    assert report.severity == "fix"
    assert report.loss == 10
    assert report.stress > 1


@pytest.mark.parametrize("bad", [{"parallel": 0}, {"frequency": 1e9}, {"clamp": "x"}, {"colour": 1}])
def test_a_build_holds_only_what_can_be_built(worked, bad):
    from pydantic import ValidationError

    with pytest.raises(ValidationError):
        FrontEndBuild.model_validate(worked.builds["front_end"].model_dump() | bad)
