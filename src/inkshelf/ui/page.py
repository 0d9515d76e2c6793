"""What every chapter's page is to the window."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget


class Page(QWidget):
    """A chapter's page. The window calls these; a page answers those that concern it."""

    def refresh(self) -> None:
        """Show the job as it is now."""
        raise NotImplementedError(type(self).__name__)

    def select(self) -> None:
        """Another volume was selected."""

    def show_step_soon(self, number: int) -> None:
        """Show a step of the plan, where the page has steps."""

    def wait(self) -> None:
        """Wait for what is being worked out beside the window, before it closes."""
