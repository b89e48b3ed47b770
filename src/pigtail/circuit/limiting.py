"""How far a control may move in one iteration of Newton's method.

A junction's current grows by e for each nVt, so a straight line drawn at one voltage says little beyond a few of
them: the step is shortened to what the line's current means on the exponential. Each rule comes for single numbers
and for arrays [S]. Source: the junction limiting of the Berkeley simulators (Nagel, SPICE2, 1975), from memory.
"""

from __future__ import annotations

from math import log
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
#: A gate or drain moves by this [V] and as much again as it has now.
FREE_STEP = 2.0


def junction_step(new: float, old: float, scale: float, critical: float) -> float:
    """A junction voltage [V] for the next iteration; scale is nVt, critical where the curve bends most."""
    if new <= critical or abs(new - old) <= 2 * scale:
        return new
    if old > 0:
        argument = 1 + (new - old) / scale
        return old + scale * log(argument) if argument > 0 else critical
    return scale * log(new / scale)


def junction_steps(new: Array, old: Array, scale: Array, critical: Array) -> Array:
    """The same for arrays. In [V], shape [S]."""
    free = np.asarray((new <= critical) | (np.abs(new - old) <= 2 * scale))
    if free.all():
        return new
    argument = 1 + (new - old) / scale
    from_on = np.where(argument > 0, old + scale * np.log(np.maximum(argument, 1e-300)), critical)
    from_off = scale * np.log(np.maximum(new / scale, 1e-300))
    return np.where(free, new, np.where(old > 0, from_on, from_off))


def zener_step(new: float, old: float, scale: float, critical: float, breakdown: float) -> float:
    """The same for a junction that breaks down: beyond half its breakdown voltage [V] it is looked at from behind."""
    if new < -breakdown / 2:
        return -breakdown - junction_step(-breakdown - new, -breakdown - old, scale, 3 * scale)
    return junction_step(new, old, scale, critical)


def zener_steps(new: Array, old: Array, scale: Array, critical: Array, breakdown: Array) -> Array:
    """The same for arrays. In [V], shape [S]."""
    if (np.asarray(new) >= -breakdown / 2).all():
        return junction_steps(new, old, scale, critical)
    behind = -breakdown - junction_steps(-breakdown - new, -breakdown - old, scale, 3 * scale)
    return np.where(new < -breakdown / 2, behind, junction_steps(new, old, scale, critical))


def volt_step(new: float, old: float, part: float = 1.0) -> float:
    """A gate or drain voltage [V] for the next iteration; a part [1] of its free step where a search takes long, so that what
    jumps to and fro across a bend comes to rest beside it."""
    most = part * (FREE_STEP + abs(old))
    return old + max(-most, min(most, new - old))


def volt_steps(new: Array, old: Array, part: float = 1.0) -> Array:
    """The same for arrays. In [V], shape [S]."""
    most = part * (FREE_STEP + np.abs(old))
    return np.asarray(old + np.clip(new - old, -most, most))
