"""Back ends of the expression tree."""
