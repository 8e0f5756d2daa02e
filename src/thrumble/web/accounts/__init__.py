"""Signing in, one's account, and the people of this server."""
