"""Binary resources; `thrumble.trained` loads them."""
