"""The brush: how far it reaches, how it fades, and what strokes and fills do to a channel."""
