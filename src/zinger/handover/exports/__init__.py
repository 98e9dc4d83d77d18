"""What other programs take: each export is text in an open format, made of the plan and of what was pinned."""
