"""The faces in which the server prints: whatever letters a workshop's names have."""

import re

from django.test import SimpleTestCase
from measuring.sheets import WIDTH, Sheet, Words, as_pdf
from workshop.paper import face

from service import labels


def embedded(pdf):
    """The faces whose letters a PDF brings with it."""
    return {name.decode().rpartition("+")[2] for name in re.findall(rb"/BaseFont /([\w+-]+)", pdf)}


class Faces(SimpleTestCase):
    def test_what_the_screens_face_has_is_printed_in_it(self):
        for words in ("Heron 300, 0.05 mm ± 2 %", "Łódź, Győr, Iași, Žižkov", "Ærø 45°: 2 × 3…"):
            self.assertEqual(face(words), "AtkinsonHyperlegibleNext-Regular", words)
        self.assertEqual(face("Łódź", bold=True), "AtkinsonHyperlegibleNext-Bold")

    def test_words_with_other_letters_are_printed_in_a_face_that_has_them(self):
        for words in ("Αθήνα", "Київ", "12 Ω → 9 Ω", "≤ 0.1 mm"):
            self.assertEqual((face(words), face(words, bold=True)), ("DejaVuSans", "DejaVuSans-Bold"), words)

    def test_words_in_letters_that_no_face_has_are_printed_all_the_same(self):
        self.assertEqual(face("東京"), "DejaVuSans")
        labels.as_pdf([labels.Label("K1", "東京")], labels.SHEETS["a4-24"])

    def test_a_label_and_a_sheet_bring_their_letters_with_them(self):
        label = labels.as_pdf([labels.Label("K1", "Łódź", "Αθήνα")], labels.SHEETS["a4-24"])
        self.assertLessEqual({"AtkinsonHyperlegibleNext-Bold", "DejaVuSans"}, embedded(label))
        sheet = as_pdf(Sheet("Győr", [], [Words(WIDTH / 2, 20, "Győr", middle=True)], "http://localhost/x"))
        self.assertIn("AtkinsonHyperlegibleNext-Regular", embedded(sheet))
