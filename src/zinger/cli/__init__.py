"""The commands: each opens the job, asks a room, prints what comes back, and ends with a meaningful code."""
