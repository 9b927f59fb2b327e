"""What a surface is looked at under: sky, sun or lamp, and exposure. Nothing of it is ever written into data."""
