"""Partition types: registered identifiers and their plain names."""

from __future__ import annotations

from functools import cache

from inkshelf.data import exact, table

PLAIN = {
    "efi_system": "EFI system",
    "nt_reserved": "NT reserved",
    "basic_data": "basic data",
    "nt_recovery": "NT recovery",
    "linux_data": "Linux data",
    "linux_root_x64": "Linux root (x86-64)",
    "linux_home": "Linux home",
    "linux_swap": "Linux swap",
    "linux_extended_boot": "extended boot loader",
    "linux_lvm": "Linux LVM",
    "linux_luks": "LUKS",
    "bios_boot": "BIOS boot",
    "apfs": "APFS",
    "hfs_plus": "HFS+",
}


def gpt_type(key: str) -> str:
    """Return the registered GUID of a type, upper case."""
    return exact("gpt_types", key)


def mbr_type(key: str) -> str:
    """Return the MBR type byte that stands for a type, as ``"0x83"``; ``KeyError`` where an MBR has none for it."""
    return str(table("exact_strings")["mbr_equals"][key])


@cache
def _keys() -> dict[str, str]:
    return {guid: key for key, guid in table("exact_strings")["gpt_types"].items()}


def type_key(type_id: str) -> str:
    """Return the data file's key of a GPT type GUID, or an empty string."""
    return _keys().get(type_id.upper(), "")


def type_name(type_id: str) -> str:
    """Return the plain name of a GPT type GUID or of an MBR type such as ``"0x07"``."""
    if type_id.lower().startswith("0x"):
        return str(table("exact_strings")["mbr_types"].get(type_id[2:].lower(), "not known"))
    return PLAIN.get(type_key(type_id), "not known")
