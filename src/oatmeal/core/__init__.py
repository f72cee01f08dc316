"""The job itself: colour pictures and recipes in, greys and figures out.

Read in a photographer's working order: :mod:`recipe` (the settings), :mod:`prepare`,
:mod:`mix` with its :mod:`ranges`, :mod:`tone` with its :mod:`curve`, :mod:`pipeline`, which
runs the steps and alone remembers results, and :mod:`measure`, what can be said about the result.
Below them :mod:`colour` holds the colour science and :mod:`kernels` the compiled loops.
Nothing here knows of files, databases or the web.
"""
