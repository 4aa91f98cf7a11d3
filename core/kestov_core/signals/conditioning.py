"""Make a recording small and clean: one channel, a band that holds belt partials, steady tones taken out.

Not here: anything that knows what a pluck is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: Partials above this say nothing more about a belt (Hz).
BAND_HZ = 2800.0
# Criteria of clipping and of steady tones. Where no other reason is given they were chosen on the simulator's recordings.
#: The band's edges are drawn in over this much: so many Hz at the bottom, this share of the band at the top.
_EDGE_HZ, _EDGE = 4.0, 0.06
#: A flat top lies within this share of the largest, which is no silence (full scale).
_FLAT, _NO_SILENCE = 0.999, 0.02
#: A tone louder than this (full scale) is what was recorded, not what disturbs it.
_LOUDEST_TONE = 0.35
#: Quiet (s) in which tones can be told, and how softly its edges are cut.
_LEAST_QUIET_S, _SOFT_S = 0.6, 0.02
#: A tone towers so many times (power) over the median of this width (Hz); so many of the tallest are looked at, so many taken out.
_TOWERS, _ROUND_HZ, _MOST_LOOKED, _MOST_TONES = 80, 25, 400, 12
#: From here (Hz) to this far under the top (Hz), and this far (Hz) from one that is taken out already.
_LOWEST_TONE_HZ, _UNDER_TOP_HZ, _APART_HZ = 20, 50, 1.5
#: Narrow: this far off (Hz) it has fallen to this share of its power (9 dB).
_NARROW_HZ, _FALLEN = 0.75, 0.12
#: Steady: each block (s) with this share of quiet is heard; the lower quarter of them is more than this share of the upper, none is
#: less than this share of the middle, and the whole, in step, is more than this share of the middle.
_BLOCK_S, _HEARD, _EVEN, _LEAST_BLOCK, _IN_STEP = 0.5, 0.05, 0.5, 0.25, 0.7
#: Rumble below this is handling, not a belt (Hz).
RUMBLE_HZ = 11.0


@dataclass(frozen=True)
class SteadyTone:
    """A tone that is there all the time: hum, a fan. Amplitude in full scale."""

    frequency_hz: float
    amplitude: float


def band_limit(samples: NDArray[np.float32] | Array, rate_hz: float) -> tuple[Array, float]:
    """Cut to the band in which belts are heard, and resample by the Fourier transform.

    Parameters
    ----------
    samples : (n,) ndarray
        One channel.
    rate_hz : float
        Sampling rate.

    Returns
    -------
    (m,) ndarray, float
        Samples, cut to 11 … 2800 Hz, and their rate (Hz).

    Examples
    --------
    >>> x, rate = band_limit(np.sin(2 * np.pi * 100 * np.arange(44100) / 44100), 44100.0)
    >>> round(rate), round(float(x.max()), 1)
    (5954, 1.0)
    """
    n = sfft.next_fast_len(len(samples), real=True)
    spectrum = sfft.rfft(np.asarray(samples, dtype=np.float32), n)
    df = rate_hz / n
    top = min(BAND_HZ * (1 + _EDGE), rate_hz / 2)
    keep = int(top / df)
    kept = spectrum[:keep].astype(np.complex128)
    f = np.arange(keep) * df
    kept *= np.clip((f - RUMBLE_HZ) / _EDGE_HZ, 0.0, 1.0)
    kept *= np.clip((top - f) / (_EDGE * BAND_HZ), 0.0, 1.0)
    n2 = sfft.next_fast_len(2 * keep + 2, real=True)
    out: Array = sfft.irfft(kept, n2) * (n2 / n)
    rate2 = rate_hz * n2 / n
    return out[: int(len(samples) * n2 / n)], rate2


def clipped_share(samples: NDArray[np.float32]) -> float:
    """Share of samples in flat tops: runs of three or more within 0.1 % of the largest magnitude.

    Parameters
    ----------
    samples : (n, channels) ndarray
        Full scale 1. The channel with the largest swing is looked at.

    Returns
    -------
    float
        A fraction.

    Examples
    --------
    >>> t = np.arange(1000) / 1000
    >>> clean = np.sin(2 * np.pi * 10 * t)[:, None].astype(np.float32)
    >>> clipped_share(np.clip(3 * clean, -1, 1)) > 0.5
    True
    """
    mono = samples[:, 0] if samples.shape[1] == 1 else samples[:, int(np.argmax(np.ptp(samples, axis=0)))]
    count = 0
    for peak, hit in ((mono.max(), np.greater_equal), (mono.min(), np.less_equal)):
        if abs(peak) < _NO_SILENCE:
            continue
        flat = hit(mono, peak * _FLAT)
        count += int(np.count_nonzero(flat[2:] & flat[1:-1] & flat[:-2]))
    return count / len(mono)


def remove_steady_tones(x: Array, rate_hz: float, quiet: NDArray[np.bool_]) -> tuple[Array, list[SteadyTone]]:
    """Find tones that stand in the quiet parts and subtract them everywhere.

    A steady tone is a line as narrow as the recording is long; a belt that still rings is far wider.

    Parameters
    ----------
    x : (n,) samples
    quiet : (n,) True where no pluck has just been made
    """
    weight = quiet.astype(np.float64)
    if weight.sum() < _LEAST_QUIET_S * rate_hz:
        return x, []
    if quiet.all():
        weight = np.hanning(len(x))
    else:
        # Soft edges, so that a tone does not leak over the whole band at each gap.
        soft = int(_SOFT_S * rate_hz)
        kernel = np.hanning(2 * soft + 1)
        weight *= np.minimum(weight, np.convolve(weight, kernel / kernel.sum(), mode="same"))
    total = weight.sum()
    n = sfft.next_fast_len(3 * len(x), real=True)
    lines = sfft.rfft(x * weight, n) * (2 / total)
    df = rate_hz / n
    power = np.abs(lines) ** 2
    width = max(3, int(_ROUND_HZ / df))
    floor = _coarse_median(power, width)
    near = max(2, int(_NARROW_HZ / df))
    # Bins that tower over their neighbourhood, highest of their surroundings.
    tall = np.flatnonzero(power > _TOWERS * floor)
    tones: list[SteadyTone] = []
    clean = x
    for k in tall[np.argsort(power[tall])[::-1]][:_MOST_LOOKED]:
        f = k * df
        if not _LOWEST_TONE_HZ < f < rate_hz / 2 - _UNDER_TOP_HZ or any(
            abs(f - t.frequency_hz) < _APART_HZ for t in tones
        ):
            continue
        side = max(power[k - near : k - near // 2].max(initial=0), power[k + near // 2 : k + near].max(initial=0))
        if side > _FALLEN * power[k]:
            continue
        a, b, c3 = np.log(power[k - 1 : k + 2] + 1e-300)
        f = (k + np.clip(0.5 * (a - c3) / min(a - 2 * b + c3, -1e-12), -0.5, 0.5)) * df
        wave = _phasor(f / rate_hz, len(x))
        turned = x * wave.conj()
        c = 2 / total * (weight @ turned)
        if abs(c) > _LOUDEST_TONE or not _is_steady(turned, abs(c), weight, rate_hz):
            continue
        clean = clean - (c.real * wave.real - c.imag * wave.imag)
        tones.append(SteadyTone(frequency_hz=float(f), amplitude=float(abs(c))))
        if len(tones) == _MOST_TONES:
            break
    return clean, tones


def _phasor(cycles_per_sample: float, n: int) -> NDArray[np.complex128]:
    """exp(2 pi i f k) for k = 0 … n - 1, as the outer product of a coarse and a fine run (far cheaper than n exps)."""
    fine = 256
    coarse = np.exp(2j * np.pi * cycles_per_sample * fine * np.arange(n // fine + 1))
    wave: NDArray[np.complex128] = np.outer(coarse, np.exp(2j * np.pi * cycles_per_sample * np.arange(fine))).ravel()[
        :n
    ]
    return wave


def _is_steady(turned: NDArray[np.complex128], amplitude: float, weight: Array, rate_hz: float) -> bool:
    """Whether a line is as loud in every half second as in the whole, and in step with itself.

    A belt that is plucked again and again draws a narrow line, too, but it fades between and begins at another phase.
    """
    block = int(_BLOCK_S * rate_hz)
    m = len(turned) // block
    share = weight[: m * block].reshape(m, block)
    heard = share.mean(axis=1) > _HEARD * weight.max()
    sums = (turned[: m * block].reshape(m, block) * share).sum(axis=1)
    z = 2 * np.abs(sums[heard]) / share.sum(axis=1)[heard]
    if len(z) < 3:
        return True
    low, middle, high = np.quantile(z, (0.25, 0.5, 0.75))
    return bool(low > _EVEN * high and z.min() > _LEAST_BLOCK * middle and amplitude > _IN_STEP * middle)


def _coarse_median(power: Array, width: int) -> Array:
    """Median of ``power`` (m,) in blocks of ``width``, drawn out to full length."""
    m = len(power) // width
    if m < 2:
        return np.full(len(power), np.median(power))
    medians = np.median(power[: m * width].reshape(m, width), axis=1)
    centres = (np.arange(m) + 0.5) * width
    return np.interp(np.arange(len(power)), centres, medians)
