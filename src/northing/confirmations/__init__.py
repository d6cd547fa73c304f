"""Answers of suppliers per instalment, and our replies."""
