"""Accounts: who may sign in over the network, and how."""
