"""The core without the browser, for scripts and tests."""
