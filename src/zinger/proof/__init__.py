"""The proof room: readings -> facts -> findings. Pure."""
