"""What leaves the screen: printed by the browser, and read back from the PDF."""

from __future__ import annotations

import io

from playwright.sync_api import Page, expect
from pypdf import PdfReader

from .app import AppCase
from .test_paths import say

#: In points.
A4, LETTER = (595, 842), (612, 792)


class OnPaper(AppCase):
    def printed(self, page: Page) -> PdfReader:
        """The page as Chromium prints it, by its own size of paper."""
        return PdfReader(io.BytesIO(page.pdf(prefer_css_page_size=True)))

    def words(self, pdf: PdfReader) -> str:
        return " ".join(" ".join(p.extract_text() for p in pdf.pages).split())

    def sized(self, pdf: PdfReader, size: tuple[int, int]) -> None:
        for p in pdf.pages:
            for told, wanted in zip((p.mediabox.width, p.mediabox.height), size, strict=True):
                self.assertAlmostEqual(float(told), wanted, delta=1.5)

    def test_a_case_is_a_report_with_its_figures_on_either_paper(self) -> None:
        page = self.sign_in("tech")
        page.goto("/cases")
        page.get_by_label("Show").select_option("closed")
        page.get_by_role("link", name=say("Halyard")).first.click()
        page.get_by_role("link", name="As a report, on paper").click()
        expect(page.get_by_role("heading", name="What was done")).to_be_visible()
        self.assert_accessible(page, "a case's report")
        title = page.locator("h1").inner_text()
        pdf = self.printed(page)
        self.sized(pdf, A4)
        words = self.words(pdf)
        for part in (
            title,
            "Dunlin 220",
            "What was found",
            "What was done",
            "In doubt now",
            f"Page 1 of {len(pdf.pages)}",
        ):
            self.assertIn(part, words)
        # On every page stands whose report it is; what is only for the screen stands on none.
        for p in pdf.pages:
            self.assertIn("Halyard", p.extract_text())
        self.assertNotIn("Print, or save", words)
        # Real text in our own letters.
        fonts = [f.get_object()["/FontDescriptor"] for p in pdf.pages for f in p["/Resources"]["/Font"].values()]
        self.assertTrue(all("Atkinson" in f.get_object()["/FontFamily"] for f in fonts))
        page.get_by_role("button", name="Letter").click()
        self.sized(self.printed(page), LETTER)

    def test_a_machine_has_a_book_of_the_time_that_one_chooses(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/1")
        page.get_by_role("link", name="Its book, on paper").click()
        expect(page.get_by_role("heading", name="What it has stored")).to_be_visible()
        self.assert_accessible(page, "a machine's book")
        page.get_by_label("Record of").select_option("30")
        expect(page.get_by_role("heading", name="Record of a month")).to_be_visible()
        short = self.printed(page)
        page.get_by_label("Record of").select_option("365")
        expect(page.get_by_role("heading", name="Record of a year")).to_be_visible()
        pdf = self.printed(page)
        self.assertGreater(len(pdf.pages), len(short.pages))
        words = self.words(pdf)
        for part in (
            "Bowline",
            "Limits, and where they are from",
            "Its parts",
            "Nozzle",
            "The book of Bowline",
        ):
            self.assertIn(part, words)
        # The sketch is drawn, not a picture of one.
        self.assertEqual(len(pdf.pages[0].images), 0)
        drawn = pdf.pages[0].get_contents()
        assert drawn is not None
        self.assertGreater(drawn.get_data().count(b" l\n"), 20)

    def test_a_measurement_has_a_certificate_with_its_uncertainty_line_by_line(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/2")
        page.get_by_role("link", name="certificate").first.click()
        expect(page.get_by_role("heading", name="Where the uncertainty comes from")).to_be_visible()
        self.assert_accessible(page, "a certificate")
        words = self.words(self.printed(page))
        for part in (
            "Marline",
            "Spread of the readings, and the method",
            "Together",
            "core",
            "Instrument",
            "JCGM 100:2008",
        ):
            self.assertIn(part, words)
