"""One to three damped modes fitted to a power spectrum or to free decays, with what they are worth.

A power spectrum of an axis that is shaken is a sum over modes of (a + b f^2) / |D|^2, |D|^2 = (f_k^2 - f^2)^2 +
(2 z_k f_k f)^2, and a floor c + d f^2: with free a, b, c, d this holds for any residues, for base motion as for force,
and for a drive whose acceleration is steady or grows with frequency. Free decays are sums of e^(-z w t) cos and sin.
Frequencies are undamped (Hz), damping ratios fractions.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: No mode is damped less, or more, than this.
LEAST_DAMPING, MOST_DAMPING = 0.004, 0.45

# Criteria of fitting and choosing. Where no other reason is given they were chosen on simulated captures (one to three modes,
# sweeps, noise, knocks): real ones were not to be had.
#: Bins of a spectrum are this wide (relative): a damping of 0.01 still covers three.
_BIN = 0.006
#: Worth of another mode's four figures: in times ln(rows) of an information criterion (BIC has one; a sweep's bins are not
#: independent), and least share of the energy of what is called a mode.
_GAIN, _LEAST_SHARE = 3.0, 0.003
#: From this share of the largest damping on it is no mode but the slope of the floor; and a mode's frequency is known
#: within this (relative standard uncertainty).
_OVERDAMPED, _KNOWN_WITHIN = 0.9, 0.05
#: Bins over which a spectrum is smoothed to look for tops.
_SMOOTH_BINS = 9
#: Starts: the damping that most belts' axes have, tops at least so far apart (relative), and of one broad mode made two: the
#: share of its damping that each begins with, or how far to either side they lie.
_START_DAMPING, _START_APART, _SPLIT_DAMPING, _SPLIT_APART = 0.05, 0.06, 0.6, 0.05
#: The model is never less than this share of what was measured: a step may not go below nothing.
_LEAST_MODEL = 1e-3
#: Rounds of the two fits, the first damping of a step, how far one step may go (nepers), and when a fit has come to rest: by
#: the objective's gain (by chance, and in proportion), or by the residual's share.
_ROUNDS, _DECAY_ROUNDS, _FIRST_DAMP, _MOST_STEP, _DECAY_STEP = 60, 40, 1e-3, 0.3, 0.25
_AT_REST, _AT_REST_EVEN, _DECAY_AT_REST = 1e-3, 3e-5, 1e-6
#: How far outside the band a pole may go while it is fitted: spectrum, decays.
_BELOW, _ABOVE, _DECAY_BELOW, _DECAY_ABOVE = 0.9, 1.05, 0.9, 1.1
#: Neighbouring residuals that keep their sign count as one: in so many blocks.
_BLOCKS, _DECAY_BLOCKS = 60, 24
#: What the sensor's own clock and the model leave open (relative standard uncertainty), and by how much a linear estimate of a
#: spectrum's fit is too small.
CLOCK_HZ, MODEL_DAMPING, SPECTRUM_WIDER = 0.001, 0.01, 1.15


@dataclass(frozen=True)
class FoundMode:
    """A mode with standard uncertainties; ``share`` of the vibration's energy."""

    hz: float
    damping: float
    u_hz: float
    u_damping: float
    share: float


@dataclass(frozen=True)
class Fit:
    """What fits: modes by frequency, the model's power at the data's frequencies, the objective to compare fits by.

    ``misfit``: mean square of what is left, in units of what chance alone would leave (1 is perfect).
    ``left``: mean square of what decays keep over the fit.
    """

    modes: list[FoundMode]
    model: Array
    objective: float
    parameters: int
    misfit: float
    left: float = 0.0


def bins(f: Array, power: Array, low: float, high: float, relative: float = _BIN) -> tuple[Array, Array, Array]:
    """Average a periodogram in steps in proportion to the frequency.

    Parameters
    ----------
    f, power : (n,) ndarray
        Frequencies (Hz, rising) and power.
    low, high : float
        The band (Hz).
    relative : float
        Width of a bin over its frequency.

    Returns
    -------
    (m,) ndarray, (m,) ndarray, (m,) ndarray
        Centres (Hz), mean power, and how many were joined.

    Examples
    --------
    >>> centre, power, count = bins(np.arange(1.0, 9.0), np.arange(1.0, 9.0), 1.0, 8.0, relative=0.7)
    >>> count.tolist(), power.tolist()
    ([2.0, 2.0, 4.0], [1.5, 3.5, 6.5])
    """
    keep = (f >= low) & (f <= high)
    f, power = f[keep], power[keep]
    step = np.floor(np.log(f / low) / relative).astype(int)
    starts = np.flatnonzero(np.diff(np.concatenate([[-1], step])))
    count = np.diff(np.append(starts, len(f))).astype(float)
    return np.add.reduceat(f, starts) / count, np.add.reduceat(power, starts) / count, count


def fit_spectrum(f: Array, power: Array, count: Array, by_chance: bool, most: int = 3) -> list[Fit]:
    """Fits with one, two … ``most`` modes, by Whittle's likelihood (Fisher scoring); see `choose`.

    ``by_chance``: the bins scatter as means of ``count`` exponentials (noise excitation); else equally in proportion.
    """
    # Empty bins (a record cut short, a silent sensor) count as all but empty.
    power = np.maximum(power, 1e-12 * power.max(initial=0.0) + 1e-300)
    level = float(np.exp(np.log(power).mean()))
    p = power / level
    weight = count if by_chance else np.full_like(count, 1.0)
    smooth = _smooth(p, count)
    best: list[tuple[float, Array, Array] | None] = [None] * most

    def attempt(poles: Array) -> None:
        tried = _score(f, p, weight, poles)
        k = len(poles) - 1
        if tried is not None and (best[k] is None or tried[0] < best[k][0]):  # type: ignore[index]
            best[k] = tried

    poles, model = np.empty((0, 2)), _trend(f, smooth)
    for k in range(most):
        for start in _starts(f, smooth, model, poles):
            attempt(np.vstack([poles, start]))
        if k:
            # What a fit with one mode less made broad may be two.
            widest = int(np.argmax(poles[:, 0] * poles[:, 1]))
            hz, damping = poles[widest]
            rest = np.delete(poles, widest, 0)
            narrow = _SPLIT_DAMPING * damping
            attempt(np.vstack([rest, [[hz * (1 - damping), narrow], [hz * (1 + damping), narrow]]]))
            tops = _starts(f, smooth, _trend(f, smooth), np.empty((0, 2)), most=k + 1)
            if len(tops) == k + 1:
                attempt(np.array(tops))
        if best[k] is None:
            break
        _, poles, linear = best[k]  # type: ignore[misc]
        model = _clip(_basis(f, poles) @ linear, p)
    for k in range(most - 1, 0, -1):
        # And back: without the weakest.
        if best[k] is not None:
            _, poles, linear = best[k]  # type: ignore[misc]
            height = np.abs(linear[: k + 1] + linear[k + 1 : 2 * k + 2]) * poles[:, 0] * poles[:, 1]
            attempt(np.delete(poles, int(np.argmin(height)), 0))
    return [_finish(f, p, weight, *b, level) for b in best if b is not None]


def choose(fits: list[Fit], rows: float, gain: float = _GAIN, least_share: float = _LEAST_SHARE) -> Fit | None:
    """The fit with the fewest modes that another mode does not better by its worth (BIC, in units of the best's misfit)."""
    if not fits:
        return None
    scale = max(min(f.misfit for f in fits), 1e-9)
    worth = [2 * f.objective / scale + gain * f.parameters * np.log(rows) for f in fits]
    known = [k for k, fit in enumerate(fits) if k == 0 or all(_determined(m, least_share) for m in fit.modes)]
    return fits[min(known, key=lambda k: worth[k])]


def _determined(mode: FoundMode, least_share: float) -> bool:
    """Whether a mode is one: its frequency is known, and it takes part. What is overdamped belongs to the floor."""
    return mode.damping > _OVERDAMPED * MOST_DAMPING or (
        mode.u_hz < _KNOWN_WITHIN * mode.hz and mode.share > least_share
    )


def without_background(fit: Fit, low: float, high: float) -> Fit:
    """The fit without what is no mode but the slope of the floor: overdamped, or outside the band."""
    real = [m for m in fit.modes if m.damping < _OVERDAMPED * MOST_DAMPING and low < m.hz < high]
    total = sum(m.share for m in real) or 1.0
    return replace(fit, modes=[replace(m, share=m.share / total) for m in real])


def _smooth(p: Array, count: Array, width: int = _SMOOTH_BINS) -> Array:
    kernel = np.hanning(width + 2)[1:-1]
    ones = np.convolve(count, kernel, "same")
    return np.asarray(np.convolve(p * count, kernel, "same") / ones)


def _trend(f: Array, p: Array) -> Array:
    x = np.log(f)
    return np.asarray(np.exp(np.polyval(np.polyfit(x, np.log(p + 1e-300), 1), x)))


def _starts(f: Array, smooth: Array, model: Array, poles: Array, most: int = 3) -> list[Array]:
    """Poles to try: where the spectrum stands highest over what is explained so far."""
    over = np.log((smooth + 1e-300) / (model + 1e-300))
    tops = np.flatnonzero((over[1:-1] >= over[:-2]) & (over[1:-1] > over[2:])) + 1
    if not len(poles):
        # The strongest counts as well as the one that stands out most.
        tops = np.append(tops, np.argmax(smooth[1:-1]) + 1)
    starts: list[Array] = []
    for i in sorted(set(tops.tolist()), key=lambda i: -over[i]):
        if all(abs(np.log(f[i] / s[0])) > _START_APART for s in starts):
            starts.append(np.array([f[i], _START_DAMPING]))
        if len(starts) == most:
            break
    return starts


def _basis(f: Array, poles: Array) -> Array:
    """Columns of the linear part (n, 2K + 2)."""
    x2 = f**2
    f0, z = poles[:, :1], poles[:, 1:]
    below = (f0**2 - x2) ** 2 + (2 * z * f0 * f) ** 2
    size = (2 * z * f0**2) ** 2
    columns = [size / below, size / below * x2 / f0**2]
    floor = np.stack([np.ones_like(f), x2 / x2.max()])
    return np.concatenate([*columns, floor]).T


def _linear(basis: Array, p: Array, weight: Array, guess: Array) -> Array:
    """Weighted least squares by scaled normal equations (ten times as fast as by SVD; the ridge keeps them solvable)."""
    w = np.sqrt(weight) / guess
    a = basis * w[:, None]
    size = np.sqrt((a * a).sum(0)) + 1e-300
    a /= size
    normal = a.T @ a
    normal[np.diag_indices_from(normal)] += 1e-10
    return np.asarray(np.linalg.solve(normal, a.T @ (p * w)) / size)


def _objective(model: Array, p: Array, weight: Array) -> float:
    return float((weight * (np.log(model) + p / model)).sum())


def _clip(model: Array, p: Array) -> Array:
    return np.maximum(model, _LEAST_MODEL * p + 1e-12)


def _score(f: Array, p: Array, weight: Array, poles: Array, rounds: int = _ROUNDS) -> tuple[float, Array, Array] | None:
    """Fisher scoring with step halving: poles in log, linear part along. None where it runs away."""
    k = len(poles)
    basis = _basis(f, poles)
    guess = _smooth(p, np.ones_like(p))
    linear = _linear(basis, p, weight, guess)
    for _ in range(2):
        linear = _linear(basis, p, weight, _clip(basis @ linear, p) * 0.5 + 0.5 * guess)
    model = _clip(basis @ linear, p)
    now = _objective(model, p, weight)
    damp = _FIRST_DAMP
    for _ in range(rounds):
        jac = _jacobian(f, poles, linear, basis)
        w = np.sqrt(weight) / model
        a = jac * w[:, None]
        r = (p - model) * w
        size = np.sqrt((a**2).sum(0)) + 1e-30
        a = a / size
        normal, right = a.T @ a, a.T @ r
        for _try in range(8):
            step = np.linalg.solve(normal + damp * np.eye(len(right)), right) / size
            moved = np.clip(step[: 2 * k], -_MOST_STEP, _MOST_STEP).reshape(2, k)
            trial = np.column_stack(
                [
                    poles[:, 0] * np.exp(moved[0] * 0.5),
                    np.clip(poles[:, 1] * np.exp(moved[1]), LEAST_DAMPING, MOST_DAMPING),
                ]
            )
            trial[:, 0] = np.clip(trial[:, 0], f[0] * _BELOW, f[-1] * _ABOVE)
            basis_ = _basis(f, trial)
            linear_ = _linear(basis_, p, weight, model)
            model_ = _clip(basis_ @ linear_, p)
            then = _objective(model_, p, weight)
            if then < now:
                break
            damp *= 6
        else:
            break
        gained = now - then
        poles, linear, basis, model, now = trial, linear_, basis_, model_, then
        damp = max(damp / 10, 1e-9)
        if gained < (_AT_REST if weight.max() > 1 else _AT_REST_EVEN):
            break
    if not np.isfinite(now):
        return None
    return now, poles, linear


def _jacobian(f: Array, poles: Array, linear: Array, basis: Array) -> Array:
    """Slope of the model by log frequency, log damping and the linear part (numerators held)."""
    k = len(poles)
    f0, z = poles[:, :1], poles[:, 1:]
    x2 = f**2
    below = (f0**2 - x2) ** 2 + (2 * z * f0 * f) ** 2
    parts = (basis[:, :k] * linear[:k] + basis[:, k : 2 * k] * linear[k : 2 * k]).T
    by_f = -parts / below * (4 * f0**2 * (f0**2 - x2) + 2 * (2 * z * f0 * f) ** 2) * 0.5
    by_z = -parts / below * 2 * (2 * z * f0 * f) ** 2
    return np.concatenate([by_f.T, by_z.T, basis], axis=1)


def _finish(f: Array, p: Array, weight: Array, objective: float, poles: Array, linear: Array, scale: float) -> Fit:
    """Uncertainties from the information matrix and the misfit, widened for neighbours that miss alike."""
    k = len(poles)
    basis = _basis(f, poles)
    model = _clip(basis @ linear, p)
    jac = _jacobian(f, poles, linear, basis)
    w = np.sqrt(weight) / model
    a = jac * w[:, None]
    left = (p - model) * w
    dof = max(len(f) - a.shape[1], 1)
    misfit = float((left**2).sum() / dof)
    # Sandwich by blocks: residuals that keep their sign over neighbours count as one.
    size = np.sqrt((a**2).sum(0)) + 1e-30
    a = a / size
    bread = np.linalg.pinv(a.T @ a, rcond=1e-12)
    gradient = a * left[:, None]
    block = max(1, len(f) // _BLOCKS)
    padded = np.pad(gradient, ((0, -len(f) % block), (0, 0)))
    sums = padded.reshape(-1, block, a.shape[1]).sum(1)
    plain = bread * misfit
    robust = bread @ (sums.T @ sums) @ bread
    variance = np.maximum(np.diag(plain), np.diag(robust)) / size**2
    # Half the step in log frequency was the unknown: the jacobian holds d/d(2 log f).
    u = np.sqrt(np.maximum(variance, 0))
    # Area under each mode's own peak; the sum of a and b is its height there.
    energy = np.abs(linear[:k] + linear[k : 2 * k]) * poles[:, 0] * poles[:, 1]
    energy = energy / max(energy.sum(), 1e-300)
    found = [
        FoundMode(
            float(poles[i, 0]),
            float(poles[i, 1]),
            float(poles[i, 0] * u[i] * 0.5),
            float(poles[i, 1] * u[k + i]),
            float(energy[i]),
        )
        for i in np.argsort(poles[:, 0])
    ]
    return Fit(found, model * scale, objective, 4 * k + 2, misfit)


def fit_decays(decays: Array, rate_hz: float, low: float, high: float, most: int = 3) -> list[Fit]:
    """Modes of free decays: one set of poles for all of them, amplitudes for each.

    Parameters
    ----------
    decays : (n, pieces) ndarray
        Free decays, all starting just after their knock.
    rate_hz : float
        Sampling rate.
    low, high : float
        Where modes are looked for (Hz).
    most : int
        How many modes at most.

    Returns
    -------
    list of Fit
        With one, two … ``most`` modes; see `choose`.

    Examples
    --------
    >>> t = np.arange(500) / 1000
    >>> decay = np.exp(-0.05 * 2 * np.pi * 40 * t) * np.sin(2 * np.pi * 40 * np.sqrt(1 - 0.05**2) * t)
    >>> mode = fit_decays(decay[:, None], 1000.0, 5.0, 200.0, most=1)[0].modes[0]
    >>> round(mode.hz, 2), round(mode.damping, 3)
    (40.0, 0.05)
    """
    n = len(decays)
    t = np.arange(n) / rate_hz
    size = 4 * n
    f = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = (f >= low) & (f <= high)
    out: list[Fit] = []
    poles = np.empty((0, 2))
    left = decays
    for _ in range(most):
        best = None
        power = (np.abs(np.fft.rfft(left * np.hanning(2 * n)[n:, None], size, axis=0)) ** 2).sum(1) * inside
        tries = [np.vstack([poles, [f[int(power.argmax())], _START_DAMPING]])]
        if len(poles):
            k = int(np.argmax([m.share for m in out[-1].modes]))
            tries.append(
                np.vstack(
                    [
                        np.delete(poles, k, 0),
                        [
                            [poles[k, 0] * (1 - _SPLIT_APART), poles[k, 1]],
                            [poles[k, 0] * (1 + _SPLIT_APART), poles[k, 1]],
                        ],
                    ]
                )
            )
        for start in tries:
            tried = _decay_score(t, decays, start, low, high)
            if best is None or tried[0] < best[0]:
                best = tried
        assert best is not None
        total, poles = best
        order = np.argsort(poles[:, 0])
        poles = poles[order]
        fit, left = _decay_finish(t, decays, poles, total)
        out.append(fit)
    return out


def _decay_basis(t: Array, poles: Array) -> Array:
    w = 2 * np.pi * poles[:, 0]
    envelope = np.exp(-t[:, None] * (poles[:, 1] * w))
    phase = t[:, None] * (w * np.sqrt(1 - poles[:, 1] ** 2))
    return np.concatenate([envelope * np.cos(phase), envelope * np.sin(phase), np.ones((len(t), 1))], axis=1)


def _left(t: Array, y: Array, poles: Array) -> tuple[Array, Array, Array, Array]:
    """Residuals, amplitudes, the basis, and the inverse of its normal matrix."""
    basis = _decay_basis(t, poles)
    normal = basis.T @ basis
    normal[np.diag_indices_from(normal)] *= 1 + 1e-9
    inverse: Array = np.asarray(np.linalg.inv(normal), dtype=np.float64)
    c = inverse @ (basis.T @ y)
    return y - basis @ c, c, basis, inverse


def _decay_score(t: Array, y: Array, poles: Array, low: float, high: float) -> tuple[float, Array]:
    """Least squares over log frequency and log damping, amplitudes solved at each step (Levenberg and Marquardt)."""
    u = np.log(poles).ravel()
    now = float((_left(t, y, poles)[0] ** 2).sum())
    damp = _FIRST_DAMP
    for _ in range(_DECAY_ROUNDS):
        normal, right = _decay_normal(t, y, u)
        for _try in range(7):
            step = np.linalg.solve(normal + damp * np.diag(np.diag(normal) + 1e-30), right)
            trial = u + np.clip(step, -_DECAY_STEP, _DECAY_STEP)
            trial[0::2] = np.clip(trial[0::2], np.log(low * _DECAY_BELOW), np.log(high * _DECAY_ABOVE))
            trial[1::2] = np.clip(trial[1::2], np.log(LEAST_DAMPING), np.log(MOST_DAMPING))
            then = float((_left(t, y, np.exp(trial).reshape(-1, 2))[0] ** 2).sum())
            if then < now:
                break
            damp *= 8
        else:
            break
        done = now - then < _DECAY_AT_REST * now
        u, now = trial, then
        damp = max(damp / 10, 1e-9)
        if done:
            break
    return now, np.exp(u).reshape(-1, 2)


def _decay_normal(t: Array, y: Array, u: Array) -> tuple[Array, Array]:
    """Normal matrix and right side of `_decay_slope`, without its slopes: each is made of t cos and t sin of its mode."""
    poles = np.exp(u).reshape(-1, 2)
    k = len(poles)
    r, c, basis, inverse = _left(t, y, poles)
    moved = t[:, None] * basis[:, : 2 * k]
    among, over, on_left = moved.T @ moved, basis.T @ moved, moved.T @ r
    # What is left of two slopes once the basis has had its part of both.
    shared = among - over.T @ inverse @ over
    mix = np.zeros((2 * k, 2 * k, y.shape[1]))
    for i, (hz, z) in enumerate(poles):
        w = 2 * np.pi * hz
        root = np.sqrt(1 - z * z)
        a, b = c[i], c[k + i]
        mix[2 * i, i], mix[2 * i, k + i] = w * (root * b - z * a), -w * (root * a + z * b)
        mix[2 * i + 1, i], mix[2 * i + 1, k + i] = -w * z * (a + z / root * b), w * z * (z / root * a - b)
    met = (shared @ mix).reshape(2 * k, -1)
    flat = mix.reshape(2 * k, -1)
    return flat @ met.T, flat @ on_left.ravel()


def _decay_slope(t: Array, y: Array, u: Array) -> tuple[Array, Array]:
    """Slope of the residuals by each unknown, amplitudes following (Kaufman's variable projection), and the residuals."""
    poles = np.exp(u).reshape(-1, 2)
    k = len(poles)
    r, c, basis, inverse = _left(t, y, poles)
    out = np.empty((y.size, 2 * k))
    for i, (hz, z) in enumerate(poles):
        w = 2 * np.pi * hz
        root = np.sqrt(1 - z * z)
        cos, sin = basis[:, i : i + 1], basis[:, k + i : k + i + 1]
        swing = -sin * c[i] + cos * c[k + i]
        decay = cos * c[i] + sin * c[k + i]
        by_hz = t[:, None] * w * (-z * decay + root * swing)
        by_z = t[:, None] * w * z * (-decay - z / root * swing)
        for j, d in ((2 * i, by_hz), (2 * i + 1, by_z)):
            out[:, j] = -(d - basis @ (inverse @ (basis.T @ d))).ravel()
    return out, r


def _decay_finish(t: Array, y: Array, poles: Array, total: float) -> tuple[Fit, Array]:
    k = len(poles)
    c = _left(t, y, poles)[1]
    slope, left = _decay_slope(t, y, np.log(poles).ravel())
    dof = max(left.size - 2 * k - c.size, 1)
    size = np.sqrt((slope**2).sum(0)) + 1e-30
    a = slope / size
    bread = np.linalg.pinv(a.T @ a, rcond=1e-12)
    gradient = (a * left.ravel()[:, None]).reshape(len(t), y.shape[1], 2 * k)
    block = max(1, len(t) // _DECAY_BLOCKS)
    padded = np.pad(gradient, ((0, -len(t) % block), (0, 0), (0, 0)))
    sums = padded.reshape(-1, block, y.shape[1], 2 * k).sum(1).reshape(-1, 2 * k)
    plain = np.diag(bread) * total / dof
    robust = np.diag(bread @ (sums.T @ sums) @ bread)
    u = np.sqrt(np.maximum(np.maximum(plain, robust), 0)) / size
    w = 2 * np.pi * poles[:, 0]
    energy = ((c[:k] ** 2 + c[k : 2 * k] ** 2).sum(1)) / (4 * poles[:, 1] * w)
    energy = energy / max(energy.sum(), 1e-300)
    found = [
        FoundMode(
            float(poles[i, 0]),
            float(poles[i, 1]),
            float(poles[i, 0] * u[2 * i]),
            float(poles[i, 1] * u[2 * i + 1]),
            float(energy[i]),
        )
        for i in range(k)
    ]
    n = left.size
    objective = 0.5 * n * float(np.log(total / n + 1e-300))
    return Fit(found, np.zeros(0), objective, (2 + 2 * y.shape[1]) * k + y.shape[1], 1.0, total / n), left


def left_of_each(decays: Array, fit: Fit, rate_hz: float) -> Array:
    """Mean square that a fit's modes leave of each decay (pieces,), whatever its own amplitudes."""
    t = np.arange(len(decays)) / rate_hz
    poles = np.array([[m.hz, m.damping] for m in fit.modes])
    return np.asarray((_left(t, decays, poles)[0] ** 2).mean(0))


def widen(fit: Fit, factor: float, relative_hz: float = CLOCK_HZ, relative_damping: float = MODEL_DAMPING) -> Fit:
    """The fit with its standard uncertainties times ``factor``, and a floor in proportion for the sensor's own clock.

    The factors were found by trial on simulated captures: what a linear error estimate leaves out.
    """
    return replace(
        fit,
        modes=[
            replace(
                m,
                u_hz=float(np.hypot(factor * m.u_hz, relative_hz * m.hz)),
                u_damping=float(np.hypot(factor * m.u_damping, relative_damping * m.damping)),
            )
            for m in fit.modes
        ],
    )
