"""The job as immutable values; ``job.Job`` is the whole of it.

Import from the modules: ``base`` (numbers), ``part``, ``stock``, ``machine``, ``setup``, ``job``.
"""
