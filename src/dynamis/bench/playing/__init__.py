"""What a converter of a bench plays: songs through it, and the lanes that show them."""
