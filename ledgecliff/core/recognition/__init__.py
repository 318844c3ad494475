"""Recognised features: what a machinist sees in a model, from its faces and how they meet.

``recognise(geometry)`` finds holes, bosses, faces, webs, slots, pockets and edge breaks in square and
in skewed directions.  It works on faces that a model states as well as on fitted ones.
"""
