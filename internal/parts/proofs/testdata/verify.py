"""A second verifier for proofs of delivery, written from docs/proof.md alone.

Usage: verify.py FOLDER. Prints, for each *.json in it by name, the name and "whole" or
"refused: REASON". Ed25519 is openssl's.
"""
import base64, binascii, datetime, hashlib, json, os, re, subprocess, sys, tempfile

PRIME = 2**255 - 19
SMALL = {bytes(32), bytes([1]) + bytes(31),
         bytes.fromhex("26e8958fc2b227b045c3f489f2ef98f0d5dfac05d3c63339b13802886d53fc05"),
         bytes.fromhex("c7176a703d4dd84fba3c0b760d10670f2a2053fa2c39ccc64ec7fd7792ac037a"),
         bytes([0xec]) + b"\xff" * 30 + b"\x7f"}
SPKI = bytes.fromhex("302a300506032b6570032100")  # RFC 8410
TIME = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{6}Z")

MEMBERS = {
    "document": {"format", "made_at", "studio", "made_by", "package", "items", "recipients", "events", "head"},
    "package": {"id", "title", "sender", "sent_at", "ends_at", "state", "door", "size"},
    "item": {"id", "name", "version_id", "version", "size", "sha256", "xxh128"},
    "recipient": {"id", "name", "email", "rights", "opened_at", "complete", "removed", "items"},
    "cell": {"item", "bytes", "complete", "completed_at", "played_ms", "older", "by_proxy", "kept_at"},
    "event": {"seq", "at", "kind", "says", "line_id", "version_id", "line", "by", "facts", "sum"},
    "person": {"sum", "salt", "name", "email"},
}


class Refused(Exception):
    pass


def must(what, why):
    if not what:
        raise Refused(why)


def known(kind, thing):
    must(isinstance(thing, dict) and set(thing) <= MEMBERS[kind], f"form of a {kind}")


def signed(sealed):
    must(isinstance(sealed, dict) and sealed.get("format") == "aftergust-proof", "form")
    try:
        key = base64.b64decode(sealed["key"], validate=True)
        signature = base64.b64decode(sealed["signature"], validate=True)
        document = sealed["document"].encode()
    except (KeyError, ValueError, AttributeError, TypeError, binascii.Error):
        raise Refused("form")
    must(len(key) == 32, "form")
    y = key[:31] + bytes([key[31] & 0x7F])
    must(y not in SMALL and int.from_bytes(y, "little") < PRIME, "key")
    with tempfile.TemporaryDirectory() as at:
        for name, content in (("key", SPKI + key), ("sig", signature), ("doc", document)):
            with open(os.path.join(at, name), "wb") as f:
                f.write(content)
        done = subprocess.run(["openssl", "pkeyutl", "-verify", "-pubin", "-keyform", "DER", "-inkey", "key", "-rawin", "-in", "doc",
                               "-sigfile", "sig"], cwd=at, capture_output=True)
    must(done.returncode == 0, "signature")
    return json.loads(document)


def moment(at):
    must(TIME.fullmatch(at), "form of a time")
    datetime.datetime.strptime(at, "%Y-%m-%dT%H:%M:%S.%fZ")


def person(p):
    known("person", p)
    total = p.get("sum", "")
    named = p.get("name", "") + p.get("email", "")
    if total and p.get("salt"):
        mine = hashlib.sha256(bytes.fromhex(p["salt"]) + p.get("name", "").encode() + b"\0" + p.get("email", "").encode()).hexdigest()
        must(mine == total, "person")
    else:
        must(not named, "person")
    return total


def chain(d):
    prev = ""
    for n, e in enumerate(d["events"], 1):
        known("event", e)
        moment(e["at"])
        lines = ["aftergust event 1", d["package"]["id"], str(n), prev, e["at"], e["kind"], e.get("line_id", ""), e.get("version_id", ""),
                 person(e["line"]), person(e["by"])]
        prev = hashlib.sha256("".join(l + "\n" for l in lines).encode() + e["facts"].encode()).hexdigest()
        must(e["seq"] == n and e["sum"] == prev, "chain")
    must(d["head"] == prev, "chain")


def micros(rfc3339):
    moment, _, fraction = rfc3339.rstrip("Z").partition(".")
    return f"{moment}.{fraction[:6]:0<6}Z"


def ledger(d):
    package, called, opened, took, last = d["package"], {}, {}, {}, {}
    known("package", package)
    sent = ""
    for e in d["events"]:
        facts, line = json.loads(e["facts"]), e.get("line_id", "")
        if facts.get("title"):
            last = facts
        if e["kind"] == "sent":
            sent = sent or e["at"]
        if line and e["line"].get("sum"):
            called[line] = e["line"]
        if line and e["kind"] in ("opened", "signed"):
            opened.setdefault(line, e["at"])
        if line and e["kind"] == "took":
            took.setdefault((line, e.get("version_id", "")), e["at"])
    ends = micros(last["ends"]) if last.get("ends") else ""
    must((package["title"], package["door"], package.get("ends_at", ""), package["sent_at"])
         == (last.get("title", ""), last.get("door", ""), ends, sent), "package")
    items = {}
    for i in d["items"]:
        known("item", i)
        items[i["id"]] = i
    held = {i["version_id"]: i for i in d["items"]}
    for e in d["events"]:
        i = held.get(e.get("version_id", ""))
        if e["kind"] == "took" and i:
            facts = json.loads(e["facts"])
            must((facts.get("size", 0), facts.get("number", 0)) == (i["size"], i["version"]), "item")
            must(not facts.get("sha256") or facts["sha256"] == i.get("sha256", ""), "item")
    for r in d["recipients"]:
        known("recipient", r)
        if r["id"] in called:
            who = called[r["id"]]
            must((r["name"], r.get("email", "")) == (who.get("name", ""), who.get("email", "")), "recipient")
        must(r.get("opened_at", "") == opened.get(r["id"], ""), "opened")
        whole = set()
        for c in r["items"]:
            known("cell", c)
            must(c["item"] in items, "cell")
            i = items[c["item"]]
            must(c["bytes"] <= i["size"] and (not c["complete"] or c["bytes"] == i["size"]), "cell")
            at = took.get((r["id"], i["version_id"])) if c["complete"] else ""
            must(at is not None and c.get("completed_at", "") == at, "cell")
            if c["complete"]:
                whole.add(c["item"])
        must(not r["complete"] or whole and len(whole) >= len(d["items"]), "complete")


def verify(text):
    d = signed(json.loads(text))
    known("document", d)
    must(d["format"] == "aftergust-proof-2", "form")
    moment(d["made_at"])
    chain(d)
    ledger(d)


for name in sorted(os.listdir(sys.argv[1])):
    with open(os.path.join(sys.argv[1], name)) as f:
        text = f.read()
    try:
        verify(text)
        print(name, "whole")
    except (Refused, KeyError, TypeError, ValueError, AttributeError) as why:
        print(name, "refused:", why)
