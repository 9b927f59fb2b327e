"""Walking a tree."""

from collections.abc import Iterable, Iterator

from ashblend.core.tree.node import Node, children


def in_order(outputs: Iterable[Node]) -> Iterator[Node]:
    """Each distinct node that the outputs reach, once, after everything it needs."""
    done: set[Node] = set()
    for output in outputs:
        waiting: list[tuple[Node, bool]] = [(output, False)]
        while waiting:
            node, ready = waiting.pop()
            if node in done:
                continue
            if ready:
                done.add(node)
                yield node
            else:
                waiting.append((node, True))
                waiting += [(child, False) for child in reversed(children(node))]


def last_uses(nodes: list[Node], outputs: Iterable[Node]) -> list[list[Node]]:
    """For each step of an order, the nodes that nothing after it needs. Outputs are needed to the end."""
    kept = set(outputs)
    seen: set[Node] = set()
    out: list[list[Node]] = []
    for node in reversed(nodes):
        gone = [c for c in dict.fromkeys((node, *children(node))) if c not in seen and c not in kept]
        seen.update(gone)
        out.append(gone)
    out.reverse()
    return out
