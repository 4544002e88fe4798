"""Flush-to-zero around kernels: a decaying loop would otherwise slow down thirtyfold on x86.

`flush_denormals` sets bits 15 (FTZ) and 6 (DAZ) of MXCSR for the calling thread and returns the old
register for `restore_denormals`. On other processors both do nothing.
Source: Intel 64 and IA-32 Architectures Software Developer's Manual, vol. 1, section 10.2.3.
"""

import platform
from typing import Any

from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

_FTZ_AND_DAZ = 0x8040

if platform.machine().lower() in {"x86_64", "amd64"}:

    @intrinsic  # type: ignore[misc]
    def _read_mxcsr(_typing: Any) -> Any:  # noqa: ANN401 - numba's own types
        def generate(_context: Any, builder: Any, _signature: Any, _arguments: Any) -> Any:  # noqa: ANN401
            place = builder.alloca(ir.IntType(32))
            pointer = ir.IntType(8).as_pointer()
            call = builder.module.declare_intrinsic(
                "llvm.x86.sse.stmxcsr", (), ir.FunctionType(ir.VoidType(), [pointer])
            )
            builder.call(call, [builder.bitcast(place, pointer)])
            return builder.load(place)

        return types.uint32(), generate

    @intrinsic  # type: ignore[misc]
    def _write_mxcsr(_typing: Any, _value: Any) -> Any:  # noqa: ANN401
        def generate(context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:  # noqa: ANN401
            place = builder.alloca(ir.IntType(32))
            pointer = ir.IntType(8).as_pointer()
            builder.store(arguments[0], place)
            call = builder.module.declare_intrinsic(
                "llvm.x86.sse.ldmxcsr", (), ir.FunctionType(ir.VoidType(), [pointer])
            )
            builder.call(call, [builder.bitcast(place, pointer)])
            return context.get_dummy_value()

        return types.void(types.uint32), generate

    @njit(nogil=True)
    def flush_denormals() -> int:
        """Treat denormal numbers as zero in this thread; return the old state."""
        old = _read_mxcsr()
        _write_mxcsr(types.uint32(old | types.uint32(_FTZ_AND_DAZ)))
        return old

    @njit(nogil=True)
    def restore_denormals(old: int) -> None:
        """Undo `flush_denormals`."""
        _write_mxcsr(old)

else:

    @njit(nogil=True)
    def flush_denormals() -> int:
        """Do nothing on this processor."""
        return 0

    @njit(nogil=True)
    def restore_denormals(old: int) -> None:
        """Do nothing on this processor."""
