"""What comes out on paper: the right pages, with verdicts and tables whole, on A4 and Letter, in either unit."""

from __future__ import annotations

import io
import re

import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

SIZES = {"A4": (842, 595), "Letter": (792, 612)}


def printed(page: Page, paper: str = "A4") -> list[str]:
    """The text of every page."""
    read = PdfReader(io.BytesIO(page.pdf(format=paper, prefer_css_page_size=True)))
    width, height = SIZES[paper]
    for one in read.pages:
        assert [float(v) for v in one.mediabox[2:]] == pytest.approx([width, height], abs=1.5)
    return [re.sub(r"\s+", " ", one.extract_text()) for one in read.pages]


@pytest.mark.parametrize("paper", SIZES)
def test_chart_is_a_page_of_drawings_and_one_of_whole_verdicts(page: Page, paper: str) -> None:
    page.goto("/tanks/1/par-map")
    expect(page.locator(".verdict")).to_have_count(10)
    first, second = printed(page, paper)
    assert "Tern Skerry" in first
    assert "From the front, 32.5 cm behind the front pane" in first
    assert "LED cluster, middle 75 37 21" in first
    assert second.count("Rule.") == 10
    assert second.count("To improve.") == 10
    assert "Table by rings" in second
    assert "Copy setup" not in first + second
    # folded again afterwards
    assert page.locator("details.verdict[open]").count() == 0


def test_corals_are_printed_with_their_light_and_what_does_not_suit_them(page: Page) -> None:
    page.goto("/tanks/1/corals")
    first, table, *zones = printed(page)
    assert "from left pane, cm" in first
    assert len(re.findall(r"\d+ to \d+", table)) >= 24
    assert "unplaced" in table
    assert "too strong" in table or "wants" in table
    assert "Light zones" in " ".join(zones)


def test_the_plan_for_all_is_a_page_of_the_map_and_one_of_the_list(page: Page) -> None:
    page.goto("/tanks/1/corals/all")
    expect(page.locator(".planning")).to_contain_text("The search has ended", timeout=60_000)
    chart, table = printed(page)
    assert "from left pane, cm" in chart
    assert re.search(r"Why here Second best .*Tubastraea", table)
    assert "palytoxin" in chart
    assert "Update plan" not in chart + table


def test_hang_prints_rules_faults_and_remedies_in_inches(page: Page) -> None:
    page.goto("/tanks/1/layout")
    page.get_by_role("button", name="in", exact=True).click()
    expect(page.get_by_text("Suggested changes")).to_be_visible(timeout=30_000)
    text = " ".join(printed(page))
    assert "lengths in in" in text
    assert "3, equally spaced" in text
    assert "Hung too low." in text
    assert re.search(r"Raise all by [\d.]+ in", text)
    assert "Save as new setup" not in text


def test_kinds_and_sheet_announce_what_they_print(page: Page) -> None:
    page.goto("/tanks/1/light-types")
    assert "What matters to you" in printed(page)[0]
    page.goto("/tanks/1/setups/1/mounting")
    link = page.get_by_role("link", name=re.compile(r"True scale, \d+ A4 pages"))
    count = int(re.findall(r"\d+", link.inner_text())[0])
    with page.expect_download() as download:
        link.click()
    read = PdfReader(str(download.value.path()))
    assert f"how {count} pages are joined" in read.pages[0].extract_text()
    assert f"Page {count} of {count}" in read.pages[count].extract_text()
