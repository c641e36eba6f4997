"""The window: Qt 6 widgets. No rule of the trade lives here."""
