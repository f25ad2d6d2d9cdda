"""How Numba compiles what only kernels call: as far as their own compilation takes it in, and no further.

Numba makes of every compiled function three: the code, one the interpreter can call and one C can call, all of it
translated to machine code. Of a helper nothing but the code in the compiler's own language is ever used, and the rest
would be a quarter of the work of compiling all kernels.
"""

from typing import Any

from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import CompilerBase, DefaultPassBuilder
from numba.core.compiler_machinery import register_pass
from numba.core.typed_passes import NativeLowering


class _NeverRun(JITCodeLibrary):
    """Code that callers link to, and that is never made machine code by itself."""

    def _optimize_functions(self, ll_module: Any) -> None:
        # The whole module is optimised once it is complete.
        ll_module.data_layout = self._codegen._data_layout

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()  # type: ignore[no-untyped-call]
        self._verify_declare_only_symbols()  # type: ignore[no-untyped-call]
        self._finalized = True


@register_pass(mutates_CFG=True, analysis_only=False)  # type: ignore[no-untyped-call]
class _LowerForCallers(NativeLowering):
    _name = "lower_for_callers"

    def run_pass(self, state: Any) -> bool:
        flags = state.flags
        flags.no_cpython_wrapper = flags.no_cfunc_wrapper = flags.no_compile = True
        library = state.library = _NeverRun(state.targetctx.codegen(), state.func_id.func_qualname)  # type: ignore[no-untyped-call]
        super().run_pass(state)  # type: ignore[no-untyped-call]
        made = state["cr"]
        known_by = object()  # To callers, where others have what the interpreter calls.
        state.targetctx.insert_user_function(known_by, made.fndesc, [library])
        state["cr"] = made._replace(cfunc=known_by)
        return True


class ForCallers(CompilerBase):
    """Compiles a function that the interpreter cannot call."""

    def define_pipelines(self) -> list[Any]:
        passes = DefaultPassBuilder.define_nopython_pipeline(self.state)  # type: ignore[no-untyped-call]
        place = next(k for k, (made, _) in enumerate(passes.passes) if made is NativeLowering)
        passes.passes[place] = (_LowerForCallers, "lowering for callers")
        passes.finalize()
        return [passes]
