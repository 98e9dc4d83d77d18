"""The Tarn B2, one end of a wireless bridge."""
