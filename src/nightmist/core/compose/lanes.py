"""Colors laid on several texels at once: a compiler does not see by itself that four numbers share an alpha."""

from __future__ import annotations

from typing import Any

import numba as nb
from llvmlite import ir
from numba.core import types
from numba.core.cgutils import for_range_slice
from numba.extending import intrinsic

from ..kernels import kernel
from .blend import MULTIPLY, NORMAL, SCREEN

#: Numbers worked on at once: a vector of the widest processors, two or four of others.
LANES = 16
INTEGER, NUMBER = ir.IntType(32), ir.FloatType()
SHORTS, NUMBERS, SHARES = (
    ir.VectorType(*of) for of in ((ir.IntType(16), LANES), (NUMBER, LANES), (NUMBER, LANES // 4))
)
#: The places of each texel's alpha; all places, those of alpha in a second vector.
ALPHA = [place | 3 for place in range(LANES)]
OPAQUE = [place + LANES if place % 4 == 3 else place for place in range(LANES)]
#: A product and a sum may be rounded once, as in all kernels.
FUSED = ("contract",)


def _laying(mode: int, opaque: bool, masked: bool) -> Any:
    """Co = Cb + αs · (B(Cb, Cs) - Cb) along a row; αb follows where the line may be transparent.

    opaque: it is not, and its alpha stays as it is. masked: a share a texel counts as well.
    """

    @intrinsic
    def lay(typingctx: Any, row: Any, mask: Any, unit: Any, scale: Any, line: Any, count: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            row, mask, unit, scale, line, count = args
            unit, scale = _each(builder, unit), _each(builder, scale, 0.0 if opaque else None)
            with for_range_slice(builder, count.type(0), count, count.type(LANES), count.type) as (j, _):
                stored = builder.uitofp(_at(builder, SHORTS, row, j, 2)[1], NUMBERS)
                share = builder.fmul(_picked(builder, stored, ALPHA), scale)
                if masked:
                    shares = _at(builder, SHARES, mask, j, 1)[1]
                    share = builder.fmul(share, _picked(builder, shares, [place // 4 for place in range(LANES)]))
                source = builder.fmul(stored, unit)
                if not opaque:
                    source = builder.shuffle_vector(source, ir.Constant(NUMBERS, [1.0] * LANES), _places(OPAQUE))
                pointer, below = _at(builder, NUMBERS, line, j, 4)
                if mode == NORMAL:
                    more = builder.fsub(source, below, flags=FUSED)
                else:
                    product = builder.fmul(below, source, flags=FUSED)
                    more = builder.fsub(*((product, below) if mode == MULTIPLY else (source, product)), flags=FUSED)
                made = builder.fadd(below, builder.fmul(more, share, flags=FUSED), flags=FUSED)
                builder.store(made, pointer, align=4)
            return context.get_dummy_value()

        whole, number = types.int64, types.float32
        return types.none(whole, whole, number, number, whole, whole), generate

    return lay


def _lay_value(
    typingctx: Any, row: Any, made: Any, covered: Any, guessed: Any, value: Any, count: Any
) -> Any:  # fmt: skip
    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        row, made, covered, guessed, value, count = args
        one, tiny, unit = (ir.Constant(SHARES, [number] * (LANES // 4)) for number in (1.0, 1e-30, 1.0 / 65535.0))
        half = ir.Constant(NUMBERS, [0.5] * LANES)
        value = builder.load(builder.inttoptr(value, NUMBERS.as_pointer()), align=4)
        with for_range_slice(builder, count.type(0), count, count.type(LANES), count.type) as (j, _):
            stored = builder.uitofp(_at(builder, SHORTS, row, j, 2)[1], NUMBERS)
            alpha = _greater(builder, *(_at(builder, SHARES, shares, j, 1)[1] for shares in (covered, guessed)))
            below = builder.fmul(_picked(builder, stored, ALPHA[::4]), unit)
            whole = builder.fadd(alpha, builder.fmul(below, builder.fsub(one, alpha), flags=FUSED), flags=FUSED)
            part = builder.fdiv(alpha, _greater(builder, whole, tiny), flags=("arcp", *FUSED))
            # Alpha moves towards full by the value's alpha, the others by the part of it in what comes out.
            share = builder.shuffle_vector(part, alpha, _places([t + 4 * (c == 3) for t in range(4) for c in range(4)]))
            more = builder.fmul(builder.fsub(value, stored), share, flags=FUSED)
            new = builder.fadd(builder.fadd(stored, more, flags=FUSED), half)
            place = builder.add(made, builder.mul(j, j.type(2)))
            # Vectors of signed integers of 32 bits are made at once.
            new = builder.trunc(builder.fptosi(new, ir.VectorType(INTEGER, LANES)), SHORTS)
            builder.store(new, builder.inttoptr(place, SHORTS.as_pointer()), align=2)
        return context.get_dummy_value()

    return types.none(*[types.int64] * 6), generate


#: Writes `made`, a row of `count` uint16 RGBA numbers: `row` with a value over it, source-over, straight alpha.
#: covered, guessed: rows of float32, a number a texel, the greater of which is the value's alpha. value: LANES float32
#: numbers, those of a texel again and again, full alpha among them. All are told by where they lie in memory.
lay_value: Any = intrinsic(_lay_value)


def _greater(builder: Any, one: Any, other: Any) -> Any:
    return builder.select(builder.fcmp_ordered(">", one, other), one, other)


def _at(builder: Any, vector: Any, address: Any, place: Any, size: int) -> tuple[Any, Any]:
    """Where a vector lies that begins with a number of a row, of so many bytes each, and what lies there."""
    place = builder.mul(place, place.type(size))
    pointer = builder.inttoptr(builder.add(address, place), vector.as_pointer())
    return pointer, builder.load(pointer, align=2)


def _places(places: list[int]) -> Any:
    return ir.Constant(ir.VectorType(INTEGER, len(places)), places)


def _picked(builder: Any, vector: Any, places: list[int]) -> Any:
    return builder.shuffle_vector(vector, ir.Constant(vector.type, ir.Undefined), _places(places))


def _each(builder: Any, number: Any, alpha: float | None = None) -> Any:
    """A number in all lanes, or another in those of alpha."""
    pair = ir.Constant(ir.VectorType(NUMBER, 2), [0.0, alpha or 0.0])
    pair = builder.insert_element(pair, number, INTEGER(0))
    return _picked(builder, pair, [0, 0, 0, 0 if alpha is None else 1] * (LANES // 4))


_normal, _multiply, _screen = (_laying(mode, True, False) for mode in (NORMAL, MULTIPLY, SCREEN))
_normal_masked, _multiply_masked, _screen_masked = (_laying(mode, True, True) for mode in (NORMAL, MULTIPLY, SCREEN))
_over, _over_masked = (_laying(NORMAL, False, masked) for masked in (False, True))


@kernel
def lays_along(mode, opaque):  # type: ignore[no-untyped-def]
    """Whether `lay_along` knows a mode over lines that are opaque, or may be transparent."""
    return mode == NORMAL or (opaque and mode in (MULTIPLY, SCREEN))


@kernel
def lay_along(mode, opaque, masked, row, mask, scale, line, count):  # type: ignore[no-untyped-def]
    """Lay a row of `count` uint16 RGBA numbers on a line of as many float32, premultiplied.

    row, line, mask: where they lie in memory; the mask has a share for each texel. scale: what makes shares of alphas.
    """
    unit = nb.float32(1.0 / 65535.0)
    if masked:
        if not opaque:
            _over_masked(row, mask, unit, scale, line, count)
        elif mode == NORMAL:
            _normal_masked(row, mask, unit, scale, line, count)
        elif mode == MULTIPLY:
            _multiply_masked(row, mask, unit, scale, line, count)
        else:
            _screen_masked(row, mask, unit, scale, line, count)
    elif not opaque:
        _over(row, mask, unit, scale, line, count)
    elif mode == NORMAL:
        _normal(row, mask, unit, scale, line, count)
    elif mode == MULTIPLY:
        _multiply(row, mask, unit, scale, line, count)
    else:
        _screen(row, mask, unit, scale, line, count)
