"""Loops that are compiled when first called."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from pampa.core.compiled import Compiled, compiled


@compiled()
def _double(value):
    return 2 * value


@compiled()
def _doubled_sum(values):
    total = 0.0
    for value in values:
        total += _double(value)
    return total


def test_a_compiled_loop_may_call_another_also_when_many_ask_first_at_once():
    values = np.arange(1000.0)
    assert isinstance(_doubled_sum, Compiled)
    with ThreadPoolExecutor(8) as pool:
        sums = list(pool.map(lambda _: _doubled_sum(values), range(32)))
    assert sums == [999_000.0] * 32
    assert _doubled_sum.made().signatures
