"""Which sides a part must be cut from, and in which order: ``reach`` says from where each feature can
be cut, ``order`` proposes the sequence of sides with its reasons and its alternatives.
"""
