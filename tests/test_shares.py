"""Shares of the service's places: whoever storms the door takes places from strangers alone, and from himself first."""

from __future__ import annotations

import random
import unittest

from even_roster.service.web.shares import SETTLED_SECONDS, Came, Limits, Shares, peer

BESIDE = "anything"

SMALL = Limits(connections=20, strangers=8, strangers_each=4, signed_each=6, streams=6, streams_each=3, requests_each=2)
LATER = SETTLED_SECONDS


class Connections(unittest.TestCase):
    def setUp(self) -> None:
        self.shares: Shares[str] = Shares(SMALL)

    def come(self, host: str, count: int, now: float = 0.0) -> list[Came[str]]:
        return [self.shares.come(f"{host} {now} {n}", host, now) for n in range(count)]

    def test_an_address_beyond_its_share_is_refused_until_its_own_have_had_their_time(self) -> None:
        self.assertEqual(self.come("10.44.10.66", 6), [(True, None)] * 4 + [(False, None)] * 2)
        self.assertEqual(self.shares.refused, 2)
        (came,) = self.come("10.44.10.66", 1, LATER)
        self.assertEqual(came, (True, "10.44.10.66 0.0 0"), "the one that has waited longest")
        self.assertEqual(self.come("10.44.10.20", 1, LATER), [(True, None)], "another address has its own share")

    def test_when_all_are_taken_the_address_with_most_makes_room(self) -> None:
        self.come("10.44.10.66", 4)
        self.come("10.44.10.67", 3, 0.1)
        self.come("10.44.10.68", 1, 0.2)
        self.assertEqual(self.come("10.44.10.20", 1, 0.3), [(True, "10.44.10.66 0.0 0")])
        self.assertEqual((self.shares.strangers, self.shares.connections), (8, 8))
        # Now three with two or three each: one that has as many as any other is not given another's place.
        self.assertEqual(self.come("10.44.10.67", 1, 0.4), [(False, None)])

    def test_whoever_signed_in_takes_no_strangers_place_and_never_makes_room(self) -> None:
        for number in range(20):
            self.assertTrue(self.shares.come(f"c{number}", "10.44.10.20", float(number)).stays)
            self.assertTrue(self.shares.signed(f"c{number}", f"session {number % 5}"))
        self.assertEqual((self.shares.strangers, self.shares.connections), (0, 20))
        self.assertEqual(self.come("10.44.10.66", 1, 99.0), [(False, None)], "all are taken, by people who are known")
        self.shares.gone("c3")
        self.assertEqual(self.come("10.44.10.66", 1, 99.0), [(True, None)])
        self.assertEqual(self.come("10.44.10.67", 1, 99.0), [(True, "10.44.10.66 99.0 0")])

    def test_a_sign_in_has_a_share_too(self) -> None:
        for number in range(7):
            self.assertTrue(self.shares.come(f"c{number}", f"10.44.10.{number}", 0.0).stays)
            self.assertEqual(self.shares.signed(f"c{number}", "token"), number < 6)
        self.assertEqual(self.shares.strangers, 1, "it stays what it was")
        self.assertTrue(self.shares.signed("c0", "token"), "one that is known is counted once")
        self.assertFalse(self.shares.signed("never came", "token"))

    def test_requests_and_streams_are_given_back(self) -> None:
        self.assertEqual([self.shares.begin("token") for _ in range(3)], [True, True, False])
        self.shares.end("token")
        self.assertTrue(self.shares.begin("token"))
        self.assertTrue(self.shares.begin("session"))
        self.assertEqual([self.shares.listen("a") for _ in range(4)], [True, True, True, False])
        self.assertEqual([self.shares.listen("b") for _ in range(3)], [True] * 3)
        self.assertFalse(self.shares.listen("c"), "all together are as many as there may be")
        self.shares.leave("a")
        self.assertTrue(self.shares.listen("c"))
        self.assertEqual(self.shares.streams, 6)

    def test_it_is_told_when_a_limit_is_near(self) -> None:
        self.assertEqual(self.shares.near(), "")
        for host in range(7):
            self.come(f"10.44.10.{host}", 1)
        self.assertEqual(self.shares.near(), "7 of 8 connections that have not signed in are taken")

    def test_whatever_happens_no_limit_is_passed_and_nobody_who_signed_in_is_ended(self) -> None:
        dice = random.Random(27)
        for _ in range(30):
            shares: Shares[int] = Shares(SMALL)
            there: dict[int, str] = {}
            known: set[int] = set()
            for number in range(300):
                what = dice.random()
                if what < 0.6:
                    came = shares.come(number, f"10.44.10.{dice.randrange(5)}", number / 10)
                    if came.goes is not None:
                        self.assertNotIn(came.goes, known)
                        del there[came.goes]
                    if came.stays:
                        there[number] = "stranger"
                elif there and what < 0.8:
                    one = dice.choice(sorted(there))
                    if shares.signed(one, f"session {dice.randrange(4)}"):
                        known.add(one)
                elif there:
                    one = dice.choice(sorted(there))
                    shares.gone(one)
                    del there[one]
                    known.discard(one)
                self.assertEqual((shares.connections, shares.strangers), (len(there), len(there.keys() - known)))
                self.assertLessEqual(shares.connections, SMALL.connections)
                self.assertLessEqual(shares.strangers, SMALL.strangers)


class Peers(unittest.TestCase):
    def test_a_host_with_many_addresses_of_ipv6_has_one_share(self) -> None:
        self.assertEqual(peer("fd00:44::1"), peer("fd00:44::ffff:2"))
        self.assertNotEqual(peer("fd00:44::1"), peer("fd00:44:0:1::1"))
        self.assertEqual(peer("fe80::1%office0"), "fe80::/64")
        self.assertEqual(peer("::ffff:10.44.10.20"), peer("10.44.10.20"))
        self.assertNotEqual(peer("10.44.10.20"), peer("10.44.10.21"))
        self.assertEqual(peer("a pipe"), "a pipe")


if __name__ == "__main__":
    unittest.main()
