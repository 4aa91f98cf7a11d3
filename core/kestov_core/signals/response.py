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
#: Frames of a spectrogram and their hop (s).
_FRAME_S, _HOP_S, _LEAST_FRAME = 0.5, 0.125, 16
#: What was lost is left out as long as this share of the bins stays; a fit takes so many bins at least.
_ENOUGH_LEFT, _LEAST_BINS = 0.7, 24
#: Worth and least share of another mode where bins scatter by chance: there they are independent (BIC as it is), and a mode
#: that takes so little part is noise.
_BY_CHANCE = (1.0, 0.01)
#: Top of a spectrum without modes: this quantile; its floor; and least signal over the noise that is put down (-30 dB).
_TOP, _FLOOR, _LEAST_SNR = 0.97, 0.1, 1e-3
#: A mode's band: so many dampings to either side, and this at least (relative).
_BAND_DAMPINGS, _LEAST_BAND = 1.5, 0.04


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
    """Power spectral density of whole records, one-sided, no taper.

    Parameters
    ----------
    x : (channels, n) ndarray
        Samples.
    rate : float
        Sampling rate (Hz).

    Returns
    -------
    (m,) ndarray, (channels, m) ndarray
        Frequencies (Hz) and density (unit squared per Hz): its sum times the step is the mean square.

    Examples
    --------
    >>> f, power = periodogram(np.sin(2 * np.pi * 50 * np.arange(1000) / 1000)[None, :], 1000.0)
    >>> float(f[power[0].argmax()]), round(float(power[0].sum() * f[1]), 3)
    (50.0, 0.5)
    """
    n = x.shape[-1]
    size = sfft.next_fast_len(n, real=True)
    power = np.abs(sfft.rfft(x, size, axis=-1)) ** 2 * (2 / (rate * n))
    return np.arange(size // 2 + 1) * rate / size, power


def frames(x: Array, rate: float, seconds: float = _FRAME_S, hop_s: float = _HOP_S) -> tuple[Array, Array, Array]:
    """Short-time power: frame middles (s), frequencies (Hz), power (frames, bins)."""
    n = max(_LEAST_FRAME, int(seconds * rate))
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
    if keep.sum() > _ENOUGH_LEFT * len(keep):
        centre, binned, count = centre[keep], binned[keep], count[keep]
        others = [p[keep] for p in others]
    response = Response(centre, binned, others)
    if fit and len(centre) > _LEAST_BINS:
        response.fits = modes.fit_spectrum(centre, binned, count, by_chance)
        chosen = modes.choose(response.fits, float(len(centre)), *(_BY_CHANCE if by_chance else ()))
        response.fit = (
            modes.widen(modes.without_background(chosen, max(low, LOWEST_MODE_HZ), high), modes.SPECTRUM_WIDER)
            if chosen
            else None
        )
    return response


def note_snr(response: Response) -> None:
    """Put down how far the modes' top stands over the noise (dB)."""
    if response.fit is None:
        return
    top = float(response.fit.model.max()) if response.fit.modes else float(np.quantile(response.power, _TOP))
    response.snr_db = 10 * float(np.log10(max(top / max(response.noise, 1e-30), _LEAST_SNR)))


def cross_talk(response: Response) -> tuple[float, int]:
    """Largest amplitude of another direction over the excited one's within the modes' bands, and which (1 or 2)."""
    assert response.fit is not None
    near = np.zeros(len(response.f), bool)
    for m in response.fit.modes:
        reach = max(_BAND_DAMPINGS * m.damping, _LEAST_BAND)
        near |= np.abs(response.f / m.hz - 1) < reach
    own = float(response.power[near].sum()) if near.any() else 0.0
    ratios = []
    for other in response.others:
        floor = float(np.quantile(other, _FLOOR))
        ratios.append(np.sqrt(max(float((other[near] - floor).sum()), 0.0) / max(own, 1e-30)))
    return float(max(ratios)), 1 + int(np.argmax(ratios))


def drift_words(change: float) -> str:
    """In words: a mode that moves by this share when it swings more."""
    way = "higher" if change > 0 else "lower"
    kind = "a plain dead band" if change > 0 else "a preloaded one that opens"
    return f"the mode lies {abs(change):.0%} {way} when it swings more, as with {kind}"
