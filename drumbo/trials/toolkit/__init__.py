"""What several kinds need, each thing once: sweeps, roads on the bed, verdicts; posts, storeys and layers of resin.

Nothing here knows one kind, and no kind knows another.
"""
