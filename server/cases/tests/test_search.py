"""Lists of cases: whose, in which state, by which words, and page by page."""

from datetime import timedelta
from unittest import mock

from api.tests.world import ApiCase
from people.clock import now

from cases import search
from cases.models import Case, Comment


class Lists(ApiCase):
    def case(self, title, by="member", days=0, **more):
        who = self.people[by]
        return Case.objects.create(
            printer=self.crossed, title=title, reported_by=who, reported_at=now() - timedelta(days=days), **more
        )

    def titles(self, **asked):
        return [c.title for c in search.listed(**asked)]

    def test_newest_first_and_by_state(self):
        closed = {"state": "closed", "closing": "harmless", "closed_at": now()}
        self.case("old", days=9)
        self.case("done", days=5, **closed)
        self.case("new")
        self.assertEqual(self.titles(), ["new", "old"])
        self.assertEqual(self.titles(state="closed"), ["done"])
        self.assertEqual(self.titles(state="all"), ["new", "done", "old"])

    def test_only_ones_own_where_so_asked(self):
        self.case("mine")
        self.case("theirs", by="other")
        self.assertEqual(self.titles(reported_by=self.people["member"]), ["mine"])

    def test_words_of_the_log_find_a_case_and_a_search_stays_within_ones_own(self):
        mine, theirs = self.case("mine"), self.case("theirs", by="other")
        for case in (mine, theirs):
            Comment.objects.create(case=case, words="It squeaks at the back", by=None, at=now())
        self.assertEqual(set(self.titles(search=" SQUEAKS ")), {"mine", "theirs"})
        self.assertEqual(self.titles(search="squeaks", reported_by=self.people["other"]), ["theirs"])
        self.assertEqual(self.titles(search="%"), [])

    def test_pages_hold_so_many_and_none_is_shown_twice(self):
        for i in range(5):
            self.case(f"case {i}", days=i)
        with mock.patch.object(search, "A_PAGE", 2):
            pages = [self.titles(page=p) for p in (1, 2, 3, 4)]
        self.assertEqual(pages, [["case 0", "case 1"], ["case 2", "case 3"], ["case 4"], []])
        self.assertEqual(self.titles(page=-3), self.titles(page=1))
