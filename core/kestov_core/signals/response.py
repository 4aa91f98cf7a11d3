"""What a shaken axis answered, whatever shook it: its spectrum, its modes, how far it stands over the noise.

Sweeps are followed in ``sweeps``, knocks in ``knocks``; ``listening`` chooses. Inputs are `sampling.Even` samples; channel 0
is the excited direction.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import scipy.fft as sfft

from . import linearity, modes
from .sampling import Array, Even

#: Below this the hand, the table and the sensor's drift are seen, not an axis.
LOWEST_HZ = 4.0
#: No axis rings below this; what fits there is the slope of the band's edge (typical).
LOWEST_MODE_HZ = 7.0
#: A mode moves with its swing from this share of its frequency, and so many standard uncertainties (chosen on simulated axes with
#: and without play).
DRIFT, DRIFT_SIGMAS = 0.025, 4


@dataclass
class Response:
    """``f``, ``power``: binned spectrum (mm/s2)^2/Hz of the excited direction; ``others``: of the two others at ``f``.

    ``fit``: the chosen modes; ``fits``: with one, two, three. ``not_linear``: reasons, in words, empty where none.
    ``seen``: whether the kind of excitation was to be found at all.
    """

    f: Array
    power: Array
    others: list[Array]
    fit: modes.Fit | None = None
    fits: list[modes.Fit] = field(default_factory=list)
    noise: float = 0.0
    snr_db: float = 0.0
    not_linear: list[str] = field(default_factory=list)
    seen: bool = True
    bends: list[linearity.Bend] = field(default_factory=list)
    stray: float = 0.0


def periodogram(x: Array, rate: float) -> tuple[Array, Array]:
    """Power spectral density of whole records (channels, n), one-sided, no taper."""
    n = x.shape[-1]
    size = sfft.next_fast_len(n, real=True)
    power = np.abs(sfft.rfft(x, size, axis=-1)) ** 2 * (2 / (rate * n))
    return np.arange(size // 2 + 1) * rate / size, power


def frames(x: Array, rate: float, seconds: float = 0.5, hop_s: float = 0.125) -> tuple[Array, Array, Array]:
    """Short-time power: frame middles (s), frequencies (Hz), power (frames, bins)."""
    n = max(16, int(seconds * rate))
    hop = max(1, int(hop_s * rate))
    pieces = np.lib.stride_tricks.sliding_window_view(x, n)[::hop]
    power = np.abs(sfft.rfft(pieces * np.hanning(n), axis=1)) ** 2
    return (
        np.asarray((np.arange(len(pieces)) * hop + n / 2) / rate, dtype=np.float64),
        np.arange(n // 2 + 1) * rate / n,
        power,
    )


def whole_spectrum(
    even: Even,
    low: float,
    high: float,
    by_chance: bool,
    fit: bool = True,
    dwell: Callable[[Array], Array] | None = None,
    lost: list[tuple[float, float]] | None = None,
    passes: list[Array] | None = None,
) -> Response:
    """Binned spectrum and fit of the whole record, or of ``passes``, whose powers are added."""
    f, power = periodogram((passes or [even.values])[0], even.rate_hz)
    for more in (passes or [])[1:]:
        power = power + periodogram(more, even.rate_hz)[1]
    if dwell is not None:
        power = power / dwell(f)
    centre, binned, count = modes.bins(f, power[0], low, high)
    others = [modes.bins(f, p, low, high)[1] for p in power[1:]]
    keep = np.ones(len(centre), bool)
    for start, end in lost or ():
        keep &= (centre < start) | (centre > end)
    if keep.sum() > 0.7 * len(keep):
        centre, binned, count = centre[keep], binned[keep], count[keep]
        others = [p[keep] for p in others]
    response = Response(centre, binned, others)
    if fit and len(centre) > 24:
        response.fits = modes.fit_spectrum(centre, binned, count, by_chance)
        chosen = modes.choose(response.fits, float(len(centre)), *((1.0, 0.01) if by_chance else (3.0, 0.003)))
        response.fit = (
            modes.widen(modes.without_background(chosen, max(low, LOWEST_MODE_HZ), high), 1.15) if chosen else None
        )
    return response


def note_snr(response: Response) -> None:
    """Put down how far the modes' top stands over the noise (dB)."""
    if response.fit is None:
        return
    top = float(response.fit.model.max()) if response.fit.modes else float(np.quantile(response.power, 0.97))
    response.snr_db = 10 * float(np.log10(max(top / max(response.noise, 1e-30), 1e-3)))


def cross_talk(response: Response) -> tuple[float, int]:
    """Largest amplitude of another direction over the excited one's within the modes' bands, and which (1 or 2)."""
    assert response.fit is not None
    near = np.zeros(len(response.f), bool)
    for m in response.fit.modes:
        reach = max(1.5 * m.damping, 0.04)
        near |= np.abs(response.f / m.hz - 1) < reach
    own = float(response.power[near].sum()) if near.any() else 0.0
    ratios = []
    for other in response.others:
        floor = float(np.quantile(other, 0.1))
        ratios.append(np.sqrt(max(float((other[near] - floor).sum()), 0.0) / max(own, 1e-30)))
    return float(max(ratios)), 1 + int(np.argmax(ratios))


def drift_words(change: float) -> str:
    """In words: a mode that moves by this share when it swings more."""
    way = "higher" if change > 0 else "lower"
    kind = "a plain dead band" if change > 0 else "a preloaded one that opens"
    return f"the mode lies {abs(change):.0%} {way} when it swings more, as with {kind}"
