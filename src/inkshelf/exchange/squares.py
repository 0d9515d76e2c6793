"""A code as printed squares (QR code, ISO/IEC 18004), made by a library: as a picture for pages, as rows of dots for paper."""

from __future__ import annotations

from io import BytesIO


def rows(code: str) -> tuple[tuple[bool, ...], ...]:
    """Return the squares row by row, dark ones true, without the quiet border of four that belongs around them."""
    import segno  # late: only what is printed needs it

    return tuple(tuple(bool(one) for one in row) for row in segno.make(code, error="m", micro=False).matrix)


def svg(code: str, scale: int = 3) -> str:
    """Return the squares as a picture within a page, with their border."""
    import segno

    out = BytesIO()
    segno.make(code, error="m", micro=False).save(
        out, kind="svg", scale=scale, border=4, xmldecl=False, svgns=True, dark="#1f2a3a", light="#ffffff", title=code
    )
    return out.getvalue().decode()
