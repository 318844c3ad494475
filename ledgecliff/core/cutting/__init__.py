"""What operations take.  ``views`` sees the part from above, ``outlines`` and ``features`` make the volumes that are
cut round the part and in it, ``cuts`` gives each operation its own.
"""
