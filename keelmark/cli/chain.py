"""Prints a chain of things as a tree."""

from rich.tree import Tree

from keelmark.cli.console import out
from keelmark.core.units import format_bytes
from keelmark.estate.trace import Knot


def print_chain(knot: Knot) -> None:
    """Print a chain, each thing with its bytes under what lies on it."""
    out.print(_tree(knot), soft_wrap=True)


def _tree(knot: Knot) -> Tree:
    tree = Tree(_line(knot), guide_style="dim")
    for lower in knot.below:
        tree.add(_tree(lower))
    return tree


def _line(knot: Knot) -> str:
    told = [f"[bold]{knot.kind}[/bold] {knot.name}"]
    if knot.used_bytes is not None and knot.size_bytes is not None:
        told.append(f"{format_bytes(knot.used_bytes)} of {format_bytes(knot.size_bytes)}")
    elif knot.size_bytes is not None:
        told.append(format_bytes(knot.size_bytes))
    if knot.uid:
        told.append(f"[dim]{knot.uid}[/dim]")
    if knot.note:
        told.append(f"({knot.note})")
    return "  ".join(told)
