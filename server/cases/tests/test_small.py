"""Small pictures: made by a worker a moment after; until then the large one stands in, and is not kept as if it were small."""

import io

from api.tests.test_cases import picture
from api.tests.world import ApiCase
from PIL import Image
from work.models import Work

from cases.models import Picture


class Small(ApiCase):
    def fetch(self, small):
        answer = self.clients["technician"].get(
            f"/api/pictures/{Picture.objects.get().pk}{'?small=true' if small else ''}"
        )
        return Image.open(io.BytesIO(answer.content)).size, answer.headers["Cache-Control"]

    def test_it_comes_a_moment_later(self):
        case = self.report()
        self.good("member", "POST", f"/cases/{case}/pictures", file=picture(size=(1600, 900)))
        self.assertEqual(self.fetch(small=True), ((1600, 900), "private, max-age=60"))
        self.do_work()
        self.assertEqual(self.fetch(small=True), ((640, 360), "private, max-age=86400"))
        self.assertEqual(self.fetch(small=False), ((1600, 900), "private, max-age=86400"))
        # Nobody needs to see that it was made.
        self.assertEqual(Work.objects.get(kind="thumbnail").state, "done")
        self.assertEqual(self.good("lead", "GET", "/works")["works"], [])
