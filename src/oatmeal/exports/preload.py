"""What processes that read and write files need, loaded once, before they are forked."""

from oatmeal.host.allocator import made_to_last

with made_to_last():
    import cv2
    import numba

    from oatmeal.core import kernels
    from oatmeal.exports import task
    from oatmeal.rendering import reading

__all__ = ["cv2", "kernels", "numba", "reading", "task"]
