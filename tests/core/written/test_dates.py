"""Dates as people write them, read back to the day and minute they were."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.written.dates import DateStyle, judge_dates, read_date

MOMENTS = st.datetimes(datetime(1970, 1, 1), datetime(2067, 12, 31)).map(
    lambda d: d.replace(second=0, microsecond=0)
)
FORMS = {
    "day_month_year": ["%d/%m/%Y", "%d.%m.%y", "%d-%m-%Y %H:%M", "%d/%m/%Y %I:%M %p"],
    "month_day_year": ["%m/%d/%Y", "%m-%d-%y", "%m/%d/%Y %H:%M", "%m/%d/%y, %I:%M:%S %p"],
    "year_month_day": ["%Y-%m-%d", "%Y/%m/%d %H:%M", "%Y-%m-%dT%H:%M:%SZ", "%Y%m%d"],
}
NAMED = ["%d %B %Y", "%d-%b-%y", "%B %d, %Y %I:%M %p", "%a, %d %b %Y %H:%M:%S +0000", "%d %b %Y at %H:%M"]


def stamp(moment: datetime, form: str) -> float:
    whole = moment if "%H" in form or "%I" in form else moment.replace(hour=0, minute=0)
    return whole.replace(tzinfo=UTC).timestamp()


@given(
    st.sampled_from(sorted(FORMS)),
    st.integers(0, 3),
    st.lists(MOMENTS, min_size=1, max_size=20),
    st.integers(13, 28),
)
def test_a_column_with_one_day_beyond_twelve_is_read_in_its_order(
    order: str, k: int, moments: list[datetime], day: int
) -> None:
    form = FORMS[order][k]
    moments = [moments[0].replace(day=day), *moments]
    found = judge_dates({m.strftime(form): 1 for m in moments})
    assert found is not None and found.style.order == order and not found.unsure
    for moment in moments:
        assert read_date(moment.strftime(form), found.style) == stamp(moment, form)


@given(MOMENTS, st.sampled_from(NAMED))
def test_named_months_need_no_order(moment: datetime, form: str) -> None:
    for order in ("day_month_year", "month_day_year", "year_month_day"):
        assert read_date(moment.strftime(form), DateStyle(order)) == stamp(moment, form)


def test_days_of_a_survey_lie_close_together() -> None:
    days = [datetime(2026, 3, 2) + timedelta(days=k) for k in range(9)]
    found = judge_dates({d.strftime("%m/%d/%Y"): 1 for d in days})
    assert found is not None and (found.style.order, found.unsure) == ("month_day_year", False)


def test_what_no_column_tells_is_said_to_be_unsure() -> None:
    found = judge_dates({"01/02/2026": 1, "02/01/2026": 1})
    assert found is not None and found.unsure and found.style.order == "day_month_year"
    told = judge_dates({"01/02/2026": 1, "02/01/2026": 1}, ["month_day_year"])
    assert told is not None and (told.style.order, told.unsure) == ("month_day_year", False)


@pytest.mark.parametrize(
    "word",
    [
        "31/02/2026",
        "12.05",
        "8:15",
        "1985",
        "3/5",
        "192.168.1.1",
        "2026-05-03 25:00",
        "",
        "Mai",
        "1/2/3/4",
        "x" * 90,
    ],
)
def test_what_is_no_date_is_none(word: str) -> None:
    assert all(
        read_date(word, DateStyle(order)) is None
        for order in ("day_month_year", "month_day_year", "year_month_day")
    )


@given(st.text(max_size=70))
def test_no_text_breaks_the_reading(word: str) -> None:
    for order in ("day_month_year", "month_day_year", "year_month_day", "serial"):
        read_date(word, DateStyle(order))
    judge_dates({word: 1})


def test_zones_and_years_of_two_digits() -> None:
    assert read_date("2026-05-03T10:00:00+02:00", DateStyle("year_month_day")) == stamp(
        datetime(2026, 5, 3, 8), "%H"
    )
    assert read_date("3/5/45", DateStyle("day_month_year", 2025)) == stamp(datetime(1945, 5, 3), "")
    assert read_date("46145.5", DateStyle("serial")) == stamp(datetime(2026, 5, 3, 12), "%H")
    assert read_date("1er août 2026", DateStyle("day_month_year")) == read_date(
        "1. August 2026", DateStyle("year_month_day")
    )
