"""The network and its arithmetic: which faults explain what has been seen, and what each check is expected to save.

Noisy-OR with a leak; none, one or two faults at once; decisions by the expected cost of repair (Heckerman, Breese and
Rommelse 1995). Pure arithmetic on arrays: no words, no files.

A hypothesis is one fault i, a pair (i, j), or something not on the list. Their weights stand in ``single`` (n,),
``pair`` (n, n; symmetric, zero diagonal, each pair counted in both halves) and ``other``.
A finding k has u_ik = 1 - p_ik for each fault and h_ik <= 1, the factor by which the fault hides it:
P(present | set) = (1 - (1 - leak) prod u) prod h.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: A second fault at once, against two independent ones.
PAIR_SHARE = 0.25
#: Share of complaints whose cause is not on the list.
OTHER_SHARE = 0.04
#: Minutes until something unlisted is found and mended.
OTHER_MINUTES = 180.0


@dataclass(frozen=True)
class Weights:
    """Unnormalised weights of all hypotheses."""

    single: Array
    pair: Array
    other: float

    def total(self) -> float:
        """Sum over all hypotheses."""
        return float(self.single.sum() + self.pair.sum() / 2 + self.other)

    def marginals(self) -> tuple[Array, float]:
        """Probability of each fault (alone or with another) and of something else."""
        total = self.total()
        return (self.single + self.pair.sum(axis=1)) / total, self.other / total


def prior(rates: Array) -> Weights:
    """Weights before anything is seen, from the rate (n,) of each placed fault."""
    total = float(rates.sum())
    pair = PAIR_SHARE * np.outer(rates, rates) / total
    np.fill_diagonal(pair, 0.0)
    return Weights(rates.copy(), pair, OTHER_SHARE * total)


def observe(w: Weights, u: Array, h: Array, belief: float, leak: float, other_shows: float) -> Weights:
    """Weights after one finding: ``belief`` is the chance that it is truly there (1 present, 0 absent, between: unsure).

    ``leak``: how often it is there without a cause; ``other_shows``: how often something unlisted shows it.
    """
    single = (1 - (1 - leak) * u) * h
    pair = (1 - (1 - leak) * np.outer(u, u)) * np.outer(h, h)
    return Weights(
        w.single * _likelihood(single, belief),
        w.pair * _likelihood(pair, belief),
        w.other * float(_likelihood(np.array(other_shows), belief)),
    )


def sharpened(before: Weights, after: Weights, exponent: float) -> Weights:
    """Evidence that counts for more (or less, under 1) than its own likelihoods say: prior times likelihood to that power."""

    def part(b: Array, a: Array) -> Array:
        out: Array = b * np.exp(exponent * (np.log(np.maximum(a, 1e-300)) - np.log(np.maximum(b, 1e-300))))
        return np.where(b > 0, out, 0.0)

    return Weights(
        part(before.single, after.single),
        part(before.pair, after.pair),
        float(part(np.array(before.other), np.array(after.other))),
    )


def _likelihood(present: Array, belief: float) -> Array:
    return belief * present + (1 - belief) * (1 - present)


@dataclass(frozen=True)
class Foresight:
    """What would be known after each node k of (n, K): chance that it is present, and marginals (n, K) either way."""

    chance: Array
    if_present: Array
    if_absent: Array


def foresee(w: Weights, u: Array, h: Array, leak: Array, other_shows: Array) -> Foresight:
    """Marginals after each possible outcome of each node, without recomputing all weights: u and h are (n, K), the rest (K,)."""
    total = w.total()
    everything = w.single + w.pair.sum(axis=1)
    hidden = w.single[:, None] * h + h * (w.pair @ h)
    silent = w.single[:, None] * h * u + (h * u) * (w.pair @ (h * u))
    present = hidden - (1 - leak) * silent
    other = w.other * other_shows
    # Each pair stands in the sums of both its faults: take it once in the total.
    singles = (w.single[:, None] * h * (1 - (1 - leak) * u)).sum(axis=0)
    mass = singles + (present.sum(axis=0) - singles) / 2 + other
    absent = everything[:, None] - present
    rest = np.maximum(total - mass, 1e-300)
    return Foresight(mass / total, present / np.maximum(mass, 1e-300), absent / rest)


def all_absent(w: Weights, u: Array, quiet: Array, other_quiet: Array) -> tuple[Array, Array]:
    """Chance (C,) that none of a check's findings is present, and the marginals (n, C) then, for C checks at once.

    ``u`` (n, C) is the product over a check's findings; ``quiet`` that of 1 - leak, ``other_quiet`` of 1 - what something
    unlisted shows.
    """
    alone = quiet * u * w.single[:, None]
    left = alone + quiet * u * (w.pair @ u)
    singles = alone.sum(axis=0)
    mass = singles + (left.sum(axis=0) - singles) / 2 + w.other * other_quiet
    return mass / w.total(), left / np.maximum(mass, 1e-300)


def cost_of_repair(p: Array, minutes: Array) -> Array:
    """Expected minutes to a fixed machine for marginals ``p`` (n, K): repairs tried in the order of p / cost.

    Each repair is paid while no earlier one has cured. One stops where going on would cost more than handing it to
    somebody who takes it apart, which costs `OTHER_MINUTES`; what none of the repairs cures costs that, too.
    """
    few, wide = min(len(p), 48), p.shape[1]
    order = np.argsort(-p / minutes[:, None], axis=0)[:few]
    ordered = p[order, np.arange(wide)]
    left = np.empty((few + 1, wide))
    left[0] = 1.0
    np.subtract(1.0, np.cumsum(ordered, axis=0), out=left[1:])
    np.clip(left, 0.0, 1.0, out=left)
    paid = np.zeros((few + 1, wide))
    np.cumsum(minutes[order] * left[:-1], axis=0, out=paid[1:])
    cost: Array = (paid + OTHER_MINUTES * left).min(axis=0)
    return cost
