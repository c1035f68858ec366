#!/usr/bin/env python3
"""Checks a bag against RFC 8493, section by section, with nothing but Python's own library.

Written from the RFC's text and not from the program, so that both would have to be wrong in the same way.
Prints what is wrong, a line each, and exits with 1 if anything is.
"""
import hashlib, os, re, sys

bag, faults = os.fsencode(sys.argv[1]), []
HASH = re.compile(rb"^([0-9a-fA-F]+)[ \t]+\*?([^\r\n]+)$")


def text(name):
    return os.fsdecode(name)


def at(name):
    return os.path.join(bag, name)


def lines(name):
    """The lines of a tag file, which end with LF, CR or CRLF (section 2.1.1)."""
    with open(at(name), "rb") as file:
        content = file.read()
    content.decode("utf-8")
    return [line for line in re.split(rb"\r\n|\n|\r", content) if line]


def files(folder):
    for where, _, names in os.walk(at(folder)):
        for name in names:
            yield os.path.relpath(os.path.join(where, name), bag)


def listed(manifest):
    """Name to hash (sections 2.1.3 and 2.2.1); only LF, CR and the per cent sign are encoded."""
    found = {}
    for line in lines(manifest):
        match = HASH.match(line)
        if not match:
            faults.append(f"{text(manifest)}: not a line of a manifest: {line!r}")
            continue
        name = re.sub(rb"%(0[AaDd]|25)", lambda m: bytes([int(m[1], 16)]), match[2])
        if name.startswith((b"/", b"~")) or b".." in name.split(b"/"):
            faults.append(f"{text(manifest)}: leads out of the bag: {text(name)!r}")
        if name in found:
            faults.append(f"{text(manifest)}: twice: {text(name)!r}")
        found[name] = match[1].lower().decode()
    return found


def compare(manifest, algorithm):
    found = listed(manifest)
    for name, value in found.items():
        try:
            with open(at(name), "rb") as file:
                if hashlib.file_digest(file, algorithm).hexdigest() != value:
                    faults.append(f"{text(manifest)}: not as listed: {text(name)!r}")
        except FileNotFoundError:
            faults.append(f"{text(manifest)}: missing: {text(name)!r}")
    return set(found)


# 2.1.1: the declaration, exactly two lines.
declaration = lines(b"bagit.txt") if os.path.exists(at(b"bagit.txt")) else []
if len(declaration) != 2 or not re.match(rb"^BagIt-Version: \d+\.\d+$", declaration[0]) or declaration[1] != b"Tag-File-Character-Encoding: UTF-8":
    faults.append("bagit.txt: not the declaration")
if not os.path.isdir(at(b"data")):
    faults.append("data: missing")

# 2.1.3 and 3: each payload manifest lists every file of the payload.
top = [name for name in os.listdir(bag) if os.path.isfile(at(name))]
manifests = {name: m[1].decode() for name in top if (m := re.match(rb"^manifest-([a-z0-9]+)\.txt$", name))}
if not manifests:
    faults.append("no payload manifest")
payload = set(files(b"data"))
for name, algorithm in manifests.items():
    only = compare(name, algorithm)
    faults += [f"{text(name)}: not listed: {text(file)!r}" for file in sorted(payload - only)]
    faults += [f"{text(name)}: not of the payload: {text(file)!r}" for file in sorted(only) if not file.startswith(b"data/")]

# 2.2.1: a tag manifest lists tag files, every payload manifest among them, and no tag manifest.
for name in top:
    if m := re.match(rb"^tagmanifest-([a-z0-9]+)\.txt$", name):
        only = compare(name, m[1].decode())
        faults += [f"{text(name)}: not listed: {text(file)!r}" for file in sorted(set(manifests) - only)]
        faults += [f"{text(name)}: lists {text(file)!r}" for file in sorted(only) if file.startswith((b"data/", b"tagmanifest-"))]

# 2.2.2: the oxum is the payload's octets and files.
for line in lines(b"bag-info.txt") if os.path.exists(at(b"bag-info.txt")) else []:
    if line[:1] not in (b" ", b"\t") and not re.match(rb"^[^:\s][^:]*:[ \t]", line):
        faults.append(f"bag-info.txt: not a label and its value: {line!r}")
    if m := re.match(rb"^Payload-Oxum:[ \t]*(\d+)\.(\d+)$", line, re.IGNORECASE):
        have = (sum(os.path.getsize(at(file)) for file in payload), len(payload))
        if have != (int(m[1]), int(m[2])):
            faults.append(f"bag-info.txt: the payload has {have[0]}.{have[1]}")

print("\n".join(faults) if faults else "valid")
sys.exit(1 if faults else 0)
