"""Many parts at once: offsets that suffice, what is listed of the stations, and what suits the work."""
