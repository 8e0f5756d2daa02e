"""Which takes keep their sound: the rule, and what it would let go."""
