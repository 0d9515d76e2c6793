"""Secure Boot: whether firmware runs a program, by what was captured of its lists and what the program says of itself.

The order is that of UEFI specification 2.10, 32.5.3: revoked sums and certificates first, then a trusted signature, then a trusted sum.
Certificates are compared by themselves and by the names of their issuers, and the sum in a signature with the program's own; that a
signer's key made the signature is not verified here.
"""

from __future__ import annotations

from inkshelf.core.machine.state import BootFile, Firmware

ALTERED = "it was changed after it was signed"
UNSIGNED = "it carries no trusted signature"


def refusal(firmware: Firmware, file: BootFile) -> str:
    """Return why firmware with Secure Boot on refuses a program, in words (empty: it does not, as far as is known)."""
    if file.digest and file.digest in firmware.revoked:
        return "the firmware's list of revoked programs names it"
    marks = set(file.marks)
    if marks & firmware.marks("dbx"):
        return f"the firmware's list of revoked certificates has that of its signer, {file.signer or 'who gives no name'}"
    if vouched(firmware, file):
        return ""
    if file.altered:
        return ALTERED
    if not file.signed:
        return UNSIGNED
    if marks and firmware.marks("db"):
        return f"it is signed by {file.signer or 'somebody without a name'}, whom no certificate vouches for that the firmware trusts"
    return ""


def vouched(firmware: Firmware, file: BootFile) -> bool:
    """Tell whether a list of what the firmware trusts was captured, and names the program, its signer or who issued that."""
    trusted = {one for held in firmware.keys if held.name == "db" for one in held.sums}
    return bool((file.digest and file.digest in trusted) or (not file.altered and set(file.marks) & firmware.marks("db")))
