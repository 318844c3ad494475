"""Drawings as data: what lines, fills, labels and dimensions a scene has, before anyone paints them.

Window, SVG and tests are equal readers of the same ``Drawing``.
"""
