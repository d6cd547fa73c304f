"""Rules of inspection."""
