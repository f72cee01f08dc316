"""Areas: parts of the picture with settings of their own.

Nothing is built yet. The kernels of the other steps take a map for every setting that an area may
have; what will come here is making those maps.
"""
