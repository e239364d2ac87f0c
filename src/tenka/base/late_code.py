"""What the compiler does for a kernel is done where the code will stand, rather than at every level.

The compiler makes a library of code for each function, for each overload of a library call and four for each
loop over threads. It optimises every one to the end and makes machine code of it, then links it into the one
above and does so again there. Only the outermost is ever run. Here machine code is made of a library when its
address or its machine code is asked for, which for most is never, and what only hands arguments on is
optimised lightly.
"""

from __future__ import annotations

import weakref
from typing import Any

from llvmlite.binding import Linkage
from numba.core import codegen

LOOP_BODY = "__numba_parfor_gufunc"  # the compiler's name for a loop's body: never called by that name
WRAPPERS = ("parallelgufuncwrapper", "_GufuncWrapper")  # its names for what hands arguments on to the body
_waiting: weakref.WeakSet[Any] = weakref.WeakSet()  # libraries that can be linked but not run yet
_environments: dict[str, Any] = {}  # of functions whose code is not in the engine yet
_compiled_object = codegen.CodeLibrary._get_compiled_object
_pointer = codegen.JITCodeLibrary.get_pointer_to_function
_set_environment = codegen.JITCPUCodegen.set_env


def _link(library: Any) -> None:
    """Link what the library calls into it, and optimise as far as others need that it is linked into."""
    library._raise_if_finalized()
    for other in dict.fromkeys(library._linking_libraries):
        library._reload_init.update(other._reload_init)
        library._final_module.link_in(other._get_module_for_linking(), preserve=True)
    _own_all(library._final_module)
    passes, builder = library._codegen._module_pass_manager(
        loop_vectorize=False, slp_vectorize=False, opt=library._codegen._opt_level, cost="cheap"
    )
    passes.run(library._final_module, builder)
    if not any(word in library.name for word in WRAPPERS):
        # to the end already here, where it is known which arrays do not overlap: once it stands in another
        # function that is lost, and steps take a tenth longer
        passes, builder = library._codegen._module_pass_manager()
        passes.run(library._final_module, builder)
    library._final_module.verify()
    library._finalize_dynamic_globals()
    library._verify_declare_only_symbols()
    library._finalized = True
    _waiting.add(library)


def _own_all(module: Any) -> None:
    """Have a module keep to its own copies of what it calls, loops over threads included.

    The compiler lets copies of one function stand for each other, though each was optimised where it stands
    and so rounds in its own way. Which of them ran depended on what had been loaded before: a kernel just
    compiled gave other last digits than the same kernel from the disk, and two orders of work two results.
    """
    for function in module.functions:
        if not function.is_declaration and function.linkage == Linkage.linkonce_odr:
            function.linkage = Linkage.internal


def _run(library: Any) -> None:
    """Make machine code of a linked library."""
    library._ensure_finalized()
    if library not in _waiting:
        return
    _waiting.discard(library)
    library._dynamic_globals.clear()
    library._finalize_final_module()
    engine = library._codegen._engine
    for name in [n for n in _environments if engine.is_symbol_defined(n)]:
        _set_environment(library._codegen, name, _environments.pop(name))


def _run_and_point(library: Any, name: str) -> int:
    library._ensure_finalized()
    if library in _waiting:
        if library.name.startswith(LOOP_BODY) or not any(
            f.name == name and not f.is_declaration for f in library._final_module.functions
        ):
            return 0
        _run(library)
    return _pointer(library, name)


def _run_and_give(library: Any) -> bytes:
    _run(library)
    return _compiled_object(library)


def _set_or_keep(target: Any, name: str, environment: Any) -> None:
    if target._engine.is_symbol_defined(name):
        _set_environment(target, name, environment)
    else:
        _environments[name] = environment


def _lay_out(library: Any, module: Any) -> None:
    """Only what the engine needs to know of a module: it is optimised when all of it is together."""
    module.data_layout = library._codegen._data_layout


def install() -> None:
    """Put these functions in the places of the compiler's own."""
    library, target = codegen.JITCodeLibrary, codegen.JITCPUCodegen
    for owner, name, function in (
        (library, "_optimize_functions", _lay_out),
        (library, "finalize", _link),
        (library, "get_pointer_to_function", _run_and_point),
        (library, "_get_compiled_object", _run_and_give),
        (target, "set_env", _set_or_keep),
    ):
        setattr(owner, name, function)
