"""From whatever was recorded to one clean signal, its spectra and its envelope."""
