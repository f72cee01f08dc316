"""From a photograph to pictures of it: proxies, desks, thumbnails, and what is told of them."""
