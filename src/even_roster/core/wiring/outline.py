"""The wiring as text: each part as a tree from its root down, with the ports at both ends of each link; links that close a ring
stand at their upper end. Pure."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from .graph import Edge, Graph, Node, across, node_of


@dataclass(slots=True)
class Branch:
    """A node with the link that leads there, and what hangs below it; `again` where it stands elsewhere already."""

    node: Node
    edge: Edge | None = None
    again: bool = False
    below: list[Branch] = field(default_factory=list)


def branches(wiring: Graph, roots: Sequence[Node], order: Callable[[Node], object]) -> list[Branch]:
    """The parts as trees: nearest first, those of one node in some order."""
    found = []
    for root in roots:
        tops = {root: Branch(root)}
        waiting, used = deque([root]), set[Edge]()
        while waiting:
            node = waiting.popleft()
            edges = sorted(wiring.around.get(node, ()), key=lambda edge, at=node: (order(across(edge, at)), edge.link))
            for edge in edges:
                if edge in used:
                    continue
                used.add(edge)
                other = across(edge, node)
                branch = Branch(other, edge, other in tops)
                tops[node].below.append(branch)
                if not branch.again:
                    tops[other] = branch
                    waiting.append(other)
        found.append(tops[root])
    return found


def outline(
    wiring: Graph, roots: Sequence[Node], routers: frozenset[int], called: Callable[[Node], str], port: Callable[[int], str],
    said: Callable[[int], str],
) -> list[str]:  # fmt: skip
    """The lines; `said` is what is told of a link, by its place."""
    lines: list[str] = []
    for top in branches(wiring, roots, called):
        if lines:
            lines.append("")
        lines.append(called(top.node))
        stack = [(one, "", place == len(top.below) - 1, top.node) for place, one in enumerate(top.below)][::-1]
        while stack:
            branch, indent, last, above = stack.pop()
            assert branch.edge is not None
            ends = {node_of(end, routers): end.port for end in wiring.links[branch.edge.link].ends}
            here, there = (port(ends[node]) if ends.get(node) else "" for node in (above, branch.node))
            joint = " – ".join(part for part in (here, there) if part)
            told = said(branch.edge.link)
            tail = f"  ({told})" if told else ""
            name = f"{called(branch.node)}{', see there' if branch.again else ''}"
            lines.append(f"{indent}{'└' if last else '├'} {f'{joint}  ' if joint else ''}{name}{tail}")
            deeper = f"{indent}{'  ' if last else '│ '}"
            below = [
                (one, deeper, place == len(branch.below) - 1, branch.node) for place, one in enumerate(branch.below)
            ]
            stack += below[::-1]
    return lines
