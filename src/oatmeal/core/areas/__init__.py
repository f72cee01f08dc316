"""Areas: parts of the picture with settings of their own.

Masks are put together from their parts (:mod:`.masks`), what looks at the picture is told on a
small copy (:mod:`.likeness`), and what the areas add is folded into one map for each setting
(:mod:`.maps`), which the kernels of the other steps read.
"""
