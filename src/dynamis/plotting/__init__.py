"""What every plot needs before anything is painted: scales, ticks, series that are thinned to pixels, SVG text."""
