"""Straight fits by least squares: what comes out, and how well each combination of it is known.

Not here: what is being fitted. Source: least squares as in any textbook (Draper and Smith 1998); coverage by Student's t.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .quantities import U95_OF_STEP, t95

Floats = NDArray[np.float64]

#: The normal 95 % point, for a spread that is stated rather than seen.
_Z95 = 1.959964


@dataclass(frozen=True)
class Fit:
    """Coefficients of a linear model.

    ``theta``: (k,) coefficients. ``inverse``: (k, k) inverse of X'X. ``scatter``: standard deviation of one reading.
    ``dof``: degrees of freedom behind ``scatter``; infinite where it is stated. ``left``: (n,) what the model leaves.
    """

    theta: Floats
    inverse: Floats
    scatter: float
    dof: float
    left: Floats

    def u95(self, row: Floats | list[float]) -> float:
        """The u95 of ``row @ theta``."""
        r = np.asarray(row, dtype=float)
        return self.factor * self.scatter * math.sqrt(max(0.0, float(r @ self.inverse @ r)))

    @property
    def factor(self) -> float:
        """By what a standard uncertainty is expanded."""
        return _Z95 if math.isinf(self.dof) else t95(self.dof)

    def with_scatter(self, scatter: float, dof: float) -> Fit:
        """The same fit with a reading's spread that is known from elsewhere."""
        return Fit(self.theta, self.inverse, scatter, dof, self.left)


def fitted(design: Floats, y: Floats, step: float = 0.0, stated_u95: float = 0.0) -> Fit:
    """Least squares of ``y`` on the columns of ``design``.

    Parameters
    ----------
    design : (n, k) array
        One column for each coefficient, of full rank.
    y : (n,) array
        The readings.
    step : float
        The instrument's step, in the unit of ``y``: no reading is known better.
    stated_u95 : float
        The u95 of one reading by itself, which alone speaks where as many readings as coefficients leave no spread.

    Returns
    -------
    Fit

    Examples
    --------
    >>> x = np.array([0.0, 1.0, 2.0, 3.0])
    >>> fit = fitted(np.column_stack([np.ones(4), x]), 2 * x + np.array([1.1, 0.9, 0.9, 1.1]))
    >>> round(float(fit.theta[1]), 6), fit.dof
    (2.0, 2)
    """
    # Columns of one size keep the inverse sound where places are told in hundreds of mm.
    size = np.sqrt((design**2).sum(axis=0))
    scaled = design / size
    theta, *_ = np.linalg.lstsq(scaled, y, rcond=None)
    left = y - scaled @ theta
    inverse = np.linalg.pinv(scaled.T @ scaled) / np.outer(size, size)
    dof = len(y) - design.shape[1]
    floor = U95_OF_STEP * step / _Z95
    if dof <= 0:
        return Fit(theta / size, inverse, math.hypot(floor, stated_u95 / _Z95), math.inf, left)
    seen = math.sqrt(float(left @ left) / dof)
    if seen <= floor:
        return Fit(theta / size, inverse, floor, math.inf, left)
    return Fit(theta / size, inverse, seen, dof, left)
