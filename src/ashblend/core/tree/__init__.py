"""The expression tree that blends and recipes compile to; back ends are in `core.emit`."""
