"""How the small networks of `pampa.core.network.convolved` learn.

Needs torch beside the project's own packages: its compiled sums in numbers of 16 bits, which processors multiply in
tiles, take a sixth of the time that jax takes for the same ones of 32.
"""

import os
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

FASTEST, DROPPED, FADES = 2e-3, 0.12, 0.1
Weights = dict[str, NDArray[np.float32]]
Batch = tuple[NDArray[Any], NDArray[Any]]


@dataclass(frozen=True)
class Shape:
    """How large a network is."""

    inputs: int
    width: int
    outputs: int
    dilations: tuple[int, ...]


def fresh(shape: Shape, rng: np.random.Generator) -> Weights:
    """Weights to begin with (He et al. 2015)."""
    layers, width = len(shape.dilations), shape.width
    shapes = {
        "into": (shape.inputs, width), "into_bias": (width,), "taps": (layers, 3, width), "taps_bias": (layers, width),
        "mix": (layers, width, width), "mix_bias": (layers, width), "out": (width, shape.outputs),
        "out_bias": (shape.outputs,),
    }  # fmt: skip
    scales = {"into": shape.inputs**-0.5, "taps": 0.6, "mix": 0.5 * width**-0.5, "out": width**-0.5}
    return {
        name: (rng.standard_normal(shape) * scales.get(name, 0)).astype(np.float32) for name, shape in shapes.items()
    }


def wider(shape: Shape, begin: Weights) -> Weights:
    """Weights that tell what narrower ones with fewer layers told: what is new is not heard yet.

    Source: Chen, Goodfellow & Shlens, Net2Net: Accelerating Learning via Knowledge Transfer, ICLR (2016).
    """
    out = fresh(shape, np.random.default_rng(11))
    layers, _, width = begin["taps"].shape
    out["mix"][layers:] = 0
    out["mix"][:, width:] = 0
    out["out"][width:] = 0
    for name, value in begin.items():
        out[name][tuple(slice(0, size) for size in value.shape)] = value
    return out


def train(
    shape: Shape,
    batches: Callable[[], Iterator[Batch]],
    loss: Callable[[Any, Any], Any],
    out: Path,
    minutes: float,
    *,
    tried: Batch | None = None,
    begin: Path | None = None,
    fastest: float = FASTEST,
) -> None:
    """Learns for some minutes and keeps the weights, every thousand steps.

    batches : what is seen, shape (crops, frames and what is around, inputs), and what is true, (crops, frames, ...).
    loss : of what the network tells, shape (crops * frames, outputs), and what is true, (crops * frames, ...).
    """
    import torch
    from torch.nn import functional
    from torch.utils.data import DataLoader, IterableDataset

    class Batches(IterableDataset):  # type: ignore[type-arg]
        def __iter__(self) -> Any:
            return batches()

    def sums(w: dict[str, Any], x: Any, kept: Any) -> Any:
        x = functional.relu(x @ w["into"] + w["into_bias"])
        for layer, dilation in enumerate(shape.dilations):
            count = x.shape[1] - 2 * dilation
            y = sum(x[:, tap * dilation : tap * dilation + count] * w["taps"][layer, tap] for tap in range(3))
            y = functional.relu(y + w["taps_bias"][layer]) * kept[layer]
            x = x[:, dilation : dilation + count] + y @ w["mix"][layer] + w["mix_bias"][layer]
        return functional.relu(x) @ w["out"] + w["out_bias"]

    def missed(w: dict[str, Any], x: Any, rows: Any, kept: Any) -> Any:
        short = {name: value.to(torch.bfloat16) for name, value in w.items()}
        told = sums(short, x.to(torch.bfloat16), kept.to(torch.bfloat16)).float()
        return loss(told.flatten(0, 1), rows.flatten(0, 1))

    torch.set_num_threads(len(os.sched_getaffinity(0)))
    weights = wider(shape, _read(begin)) if begin else fresh(shape, np.random.default_rng(7))
    w = {name: torch.from_numpy(value).requires_grad_() for name, value in weights.items()}
    # Adam (Kingma & Ba 2015), with weights that fade (Loshchilov & Hutter 2019)
    adam = torch.optim.AdamW(w.values(), lr=fastest, weight_decay=FADES, fused=True)
    learned = torch.compile(missed, dynamic=False)
    whole = torch.ones((len(shape.dilations), 1, 1, 1))
    given = iter(DataLoader(Batches(), batch_size=None, num_workers=1, prefetch_factor=4))
    begun, at, shown = time.monotonic(), 0, 0.0
    while (gone := (time.monotonic() - begun) / 60) < minutes:
        at += 1
        adam.param_groups[0]["lr"] = fastest * min(at / 300, 1) * 0.5 * (1 + np.cos(np.pi * gone / minutes))
        seen, rows = next(given)
        # dropout of whole channels (Tompson et al. 2015): cheap, and the same at all frames
        kept = (torch.rand(len(shape.dilations), len(seen), 1, shape.width) >= DROPPED) / (1 - DROPPED)
        value = learned(w, seen, rows, kept)
        adam.zero_grad()
        value.backward()
        adam.step()
        shown = 0.99 * shown + 0.01 * float(value.detach()) if shown else float(value.detach())
        if at % 1000 == 0:
            with torch.no_grad():
                other = f", tried {float(missed(w, *map(torch.from_numpy, tried), whole)):.4f}" if tried else ""
            print(f"{gone:5.1f} min, step {at}, loss {shown:.4f}{other}", flush=True)
            _keep(out, w)
    _keep(out, w)


def mean(paths: list[Path], out: Path) -> None:
    """Weights between several that lie in one valley: better on voices that none of them learned from.

    Source: Izmailov et al., Averaging Weights Leads to Wider Optima, UAI (2018).
    """
    every = [_read(path) for path in paths]
    between = {name: np.mean([each[name] for each in every], axis=0, dtype=np.float32) for name in every[0]}
    np.savez(out, **{name: value.astype(np.float16) for name, value in between.items()})


def _read(path: Path) -> Weights:
    return {name: value.astype(np.float32) for name, value in np.load(path).items()}


def _keep(out: Path, w: dict[str, Any]) -> None:
    np.savez(out, **{name: value.detach().numpy().astype(np.float16) for name, value in w.items()})
