"""What the machine is and does: processes, memory, disk, and an application that runs already."""
