"""What makes the ear's weights: takes are drawn and heard, networks fitted, the result written."""
