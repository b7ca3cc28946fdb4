"""What is taken out as a file: its name, whatever letters it has."""

from urllib.parse import quote

from fatsignal.files.names import file_name


def attachment(name: str) -> dict[str, str]:
    """The header that names a file to be saved (RFC 6266), with letters beyond ASCII after RFC 8187."""
    stem, dot, ending = name.rpartition(".")
    safe = f"{file_name(stem)}{dot}{ending}" if stem else file_name(name)
    plain = safe.encode("ascii", "replace").decode().replace("?", "_").replace('"', "_")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(safe)}"}
