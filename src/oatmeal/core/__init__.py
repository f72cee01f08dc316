"""The job itself: colour pictures and recipes in, greys and figures out.

The rooms stand in a photographer's order of work: :mod:`recipe` (the settings), :mod:`prepare`,
:mod:`mix`, :mod:`tone`, :mod:`areas`, :mod:`finish`; :mod:`pipeline` runs their stages and alone
remembers; :mod:`seeing` is what can be said about the result. Below them are :mod:`colour`, the
colour science, and :mod:`picture`. Nothing here knows of files, databases or the web.
"""
