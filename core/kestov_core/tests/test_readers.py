"""Files are taken whole or refused whole, with the place named."""

import io
import math
import unittest

import numpy as np
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.readers import read_columns, read_csv, read_wav


def wav_of(samples, rate=16000, subtype="PCM_16"):
    out = io.BytesIO()
    soundfile.write(out, samples, rate, subtype=subtype, format="WAV")
    return out.getvalue()


TONE = 0.5 * np.sin(2 * np.pi * 440 * np.arange(1600) / 16000)


class Broken(unittest.TestCase):
    def refused(self, data, code):
        with self.assertRaises(BadInput) as caught:
            read_csv(data, ("a", "b"))
        self.assertEqual(caught.exception.code, code)

    def test_lines_end_as_they_do_on_any_machine(self):
        for end in ("\n", "\r\n", "\r"):
            table = read_csv(end.join(("a,b", "1,2", "3,4")).encode(), ("a", "b"))
            self.assertEqual(table, {"a": [1.0, 3.0], "b": [2.0, 4.0]})

    def test_a_cell_without_end_is_a_bad_row(self):
        self.refused(b"a,b\n1," + b"x" * 200_000, "bad_row")
        self.refused(b"a," + b"x" * 200_000, "bad_row")

    def test_no_figure_is_larger_than_any(self):
        self.refused(b"a,b\n1,1e10\n", "out_of_range")
        with self.assertRaises(BadInput) as caught:
            read_columns(b"a,b\n1,2\n3,-1e12\n", ("a", "b"))
        self.assertEqual((caught.exception.code, caught.exception.row), ("out_of_range", 3))


class Wav(unittest.TestCase):
    def refused(self, data):
        with self.assertRaises(BadInput) as e:
            read_wav(data)
        self.assertEqual(e.exception.field, "data")
        return e.exception.code

    def test_every_width_and_channel_count_reads_the_same(self):
        for subtype in ("PCM_16", "PCM_24", "PCM_32", "FLOAT"):
            sound = read_wav(wav_of(np.stack([TONE, -TONE], 1), 44100, subtype))
            self.assertEqual((sound.rate_hz, sound.samples.shape), (44100, (1600, 2)))
            np.testing.assert_allclose(sound.samples[:, 0], TONE, atol=4e-5)

    def test_what_is_none_is_refused_with_its_own_code(self):
        good = wav_of(TONE)
        self.assertEqual(self.refused(b""), "empty_file")
        self.assertEqual(self.refused(b"time,volume\n1,2\n"), "not_a_wav")
        self.assertEqual(self.refused(b"RIFF\x00\x00\x00\x00WAVEjunk"), "not_a_wav")
        self.assertEqual(self.refused(wav_of(TONE, subtype="PCM_U8")), "not_a_wav")
        self.assertEqual(self.refused(wav_of(TONE[:0])), "no_samples")
        self.assertEqual(self.refused(wav_of(TONE, 4000)), "out_of_range")
        bad = TONE.astype(np.float32)
        bad[7] = math.nan
        self.assertEqual(self.refused(wav_of(bad, subtype="FLOAT")), "not_finite")
        self.assertEqual(self.refused(good[:30]), "not_a_wav")

    @given(st.binary(max_size=400))
    def test_any_bytes_are_read_or_refused_in_words(self, data):
        for head in (b"", b"RIFF\x90\x01\x00\x00WAVEfmt "):
            try:
                read_wav(head + data)
            except BadInput as e:
                self.assertTrue(e.message)


class Csv(unittest.TestCase):
    def refused(self, text, columns=("x_mm", "z_mm")):
        with self.assertRaises(BadInput) as e:
            read_csv(text if isinstance(text, bytes) else text.encode(), columns)
        return e.exception.code, e.exception.field, e.exception.row

    def test_separators_comments_mark_and_order(self):
        for text in (
            "x_mm,z_mm\n1.5,2\n3,4\n",
            "\ufeffz_mm;x_mm\n2;1,5\n\n4;3\n",
            "# taken by hand\nnote\tx_mm\tz_mm\n# more\na\t1,5\t2\nb\t3\t4\n",
        ):
            self.assertEqual(read_csv(text.encode(), ("x_mm", "z_mm")), {"x_mm": [1.5, 3], "z_mm": [2, 4]})

    def test_what_cannot_be_read_is_named_by_row_and_column(self):
        self.assertEqual(self.refused("x_mm\n1\n"), ("missing_column", "z_mm", 1))
        self.assertEqual(self.refused("x_mm,z_mm\n1,2\n1,two\n"), ("bad_row", "z_mm", 3))
        self.assertEqual(self.refused("x_mm,z_mm\n1,2,3\n"), ("bad_row", "data", 2))
        self.assertEqual(self.refused("x_mm,z_mm\n1,inf\n"), ("not_finite", "z_mm", 2))
        self.assertEqual(self.refused("")[0], "empty_file")
        self.assertEqual(self.refused("# only words\n")[0], "empty_file")
        self.assertEqual(self.refused(b"\xff\xfe\x00x")[0], "not_text")

    def test_optional_columns_come_when_there(self):
        self.assertEqual(read_csv(b"a,b\n1,2\n", ("a",), ("b", "c")), {"a": [1], "b": [2]})
