"""How values are typed and shown: engineering notation, digits, signs, and note names."""
