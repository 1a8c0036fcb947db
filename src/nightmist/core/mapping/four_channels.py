"""Four channels of 16 bits at once, as one vector: LLVM finds no vectors in loops over so few."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

_FLOATS = ir.VectorType(ir.FloatType(), 4)
_INTS = ir.VectorType(ir.IntType(32), 4)
_SHORTS = ir.VectorType(ir.IntType(16), 4)
_UNDEFINED, _FIRST = ir.Constant(_FLOATS, ir.Undefined), ir.Constant(ir.IntType(32), 0)
#: Sums may be rounded once where the processor can.
_FAST = ("contract", "reassoc", "nsz")


def _add_mixed(typingctx: Any, sums: Any, at: Any, words: Any, pixels: Any, shares: Any) -> Any:
    """Add to sums[at : at + 4] four words of four channels each, by their shares.

    sums: float32, C-contiguous, `at` counts as if it were flat. words: uint64, the first channel lowest. pixels: the
    places of four words. shares: four float32.
    """

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        sums_type, _, words_type, _, _ = signature.args
        sums, at, words, pixels, shares = args
        into = builder.gep(context.make_array(sums_type)(context, builder, sums).data, [at])
        into = builder.bitcast(into, _FLOATS.as_pointer())
        data = context.make_array(words_type)(context, builder, words).data
        total = builder.load(into, align=4)
        for k in range(4):
            place = builder.gep(data, [builder.extract_value(pixels, k)])
            pixel = builder.load(builder.bitcast(place, _SHORTS.as_pointer()), align=2)
            values = builder.uitofp(builder.zext(pixel, _INTS), _FLOATS)
            share = builder.insert_element(_UNDEFINED, builder.extract_value(shares, k), _FIRST)
            share = builder.shuffle_vector(share, share, ir.Constant(_INTS, [0] * 4))
            total = builder.fadd(total, builder.fmul(values, share, flags=_FAST), flags=_FAST)
        builder.store(total, into, align=4)
        return context.get_dummy_value()

    places: Any = types.UniTuple(types.int64, 4)  # type: ignore[no-untyped-call]
    parts: Any = types.UniTuple(types.float32, 4)  # type: ignore[no-untyped-call]
    return types.void(sums, types.int64, words, places, parts), generate


add_mixed: Any = intrinsic(_add_mixed)
