"""Starting and stopping: the private database, the demo series, the web server."""
