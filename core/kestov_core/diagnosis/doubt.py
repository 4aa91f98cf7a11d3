"""Answers that do not fit together: which of them fits least, and what can still be said.

A person errs; an instrument slips. What the best explanation cannot show, or cannot but show, is looked at again before
anything is claimed with certainty.
"""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from ..knowledge import findings
from . import engine
from .evidence import belief, noise
from .laid_out import Array, Case, Node
from .shapes import Observed

#: An answer with less than this chance under the best explanation does not fit it.
_HARDLY = 0.08
#: In doubt no word and no figure is believed further than this, and for each answer that does not fit this much is left for
#: something that is not on the list; at most half.
_FURTHEST, _LEFT = 0.93, 0.1


def unfitting(case: Case, seen: dict[Node, Observed], w: engine.Weights) -> list[Node]:
    """Answers that the best explanation (one fault, two, or none listed) hardly allows, worst first."""
    told = {k: o for k, o in seen.items() if o.state != "unknown" or o.value is not None}
    if len(told) < 2:
        return []
    best = _best(w)
    chances = {k: _chance(case, best, k, o) for k, o in told.items() if findings()[k[0]].kind != "danger"}
    return sorted((k for k, c in chances.items() if c < _HARDLY), key=lambda k: chances[k])


def doubted(case: Case, seen: dict[Node, Observed], how_many: int, aside: Collection[Node] = ()) -> engine.Weights:
    """Weights when so many answers do not fit: everything believed less, and room left for what is not on the list.

    ``aside``: answers that are to be looked for again, and do not count until then.
    """
    w = engine.prior(case.rates)
    for node, o in seen.items():
        if node in aside:
            continue
        if findings()[o.finding].kind == "danger" or o.complaint:
            w = case.observe(w, o)
        else:
            w = case.observe(w, o, min(max(belief(o), 1 - _FURTHEST), _FURTHEST))
    left = min(0.5, _LEFT * how_many)
    listed = w.total() - w.other
    return engine.Weights(w.single, w.pair, max(w.other, listed * left / (1 - left)))


def _best(w: engine.Weights) -> tuple[int, ...]:
    """The likeliest explanation: one fault, two, or () for something not listed."""
    i = int(np.argmax(w.single))
    a, b = divmod(int(np.argmax(w.pair)), len(w.single))
    one, two = float(w.single[i]), float(w.pair[a, b])
    if w.other > max(one, two):
        return ()
    return (i,) if one >= two else (a, b)


def _chance(case: Case, best: tuple[int, ...], node: Node, o: Observed) -> float:
    """Chance of an answer under an explanation, as it is believed."""
    said = belief(o)
    leak, unlisted = noise(node[0], o.complaint)
    if not best:
        present = unlisted
    else:
        u, h = case.column(*node)
        some: Array = np.array(best)
        present = float((1 - (1 - leak) * np.prod(u[some])) * np.prod(h[some]))
    return said * present + (1 - said) * (1 - present)
