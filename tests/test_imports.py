"""Imports run in no circle, those for types alone among them."""

from __future__ import annotations

from graphlib import TopologicalSorter

import grimp


def test_no_module_imports_one_that_imports_it_back():
    """Sorted so that each comes after all that it imports; a circle would be named."""
    graph = grimp.build_graph("nightmist")
    imported = {module: graph.find_modules_directly_imported_by(module) for module in graph.modules}
    order = list(TopologicalSorter(imported).static_order())
    assert order.index("nightmist.document.composed") < order.index("nightmist.document.document")
