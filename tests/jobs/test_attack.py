"""A part of `make attack`, with every run of the tests."""

import unittest

from tests.attack import FAMILIES, odd_surroundings
from tests.read.source_case import ServerTestCase


class AttackTest(ServerTestCase):
    def test_no_try_ends_in_anything_but_rows_or_a_sentence(self) -> None:
        self.postgres()
        self.mariadb()
        for attack, _, tries in FAMILIES:
            with self.subTest(attack.__name__):
                tally = attack(tries)
                self.assertEqual((0 < tally.tried <= tries, tally.bad), (True, []))

    def test_whatever_the_surroundings_it_ends_in_a_sentence(self) -> None:
        self.assertEqual(odd_surroundings().bad, [])


if __name__ == "__main__":
    unittest.main()
