"""Verifies a log that was exported with `quill log export > log.jsonl`, with nothing but Python:  python3 verify-log.py log.jsonl

Prints what is wrong, a line each, and ends with 1 where anything is. The form that it goes by is told in log.md.
Signatures are not looked at; `openssl pkeyutl -verify -rawin` does that, over the 32 bytes of a seal's hash.
"""
import hashlib, json, re, sys

def sha(*parts): return hashlib.sha256(b"".join(p if isinstance(p, bytes) else p.encode() for p in parts)).digest()
def array(values): return json.dumps(values, ensure_ascii=False)
def ranges(ids): return [range(int(a), int(b)) for a, b in re.findall(r"\[(-?\d+),(-?\d+)\)", ids)]

def value(salt, place, text, erased):
    if erased is not None: return b"\1" + bytes.fromhex(erased)
    return b"\0" if text is None else b"\1" + sha(salt[16 * place:16 * place + 16], text)

def entry_hash(e):
    salt, printed = bytes.fromhex(e["salt"]), e["printed"]
    told = array([e["id"], e["at"], e["transaction"], e["actor"]["id"], e["actor"]["name"], e["page"], e["page_version"], e["table"],
                  printed["key"], printed["new_key"], e["operation"], array([f["field"] for f in e["fields"]]), e["request"], e["way"],
                  printed["origin"], None if e["undoes"] is None else ",".join(e["undoes"])])
    parts = [told, value(salt, 0, e["reason"], e.get("erased_reason"))]
    for i, f in enumerate(e["fields"]):
        gone = f.get("erased", {})
        parts += [b"\2\2"] if "hidden" in f else [value(salt, 1 + 2 * i, f["old"], gone.get("old")), value(salt, 2 + 2 * i, f["new"], gone.get("new"))]
    content = sha(*parts)
    return content if e["previous"] is None else sha(content, bytes.fromhex(e["previous"]), int(e["previous_id"]).to_bytes(8, "big", signed=True))

def root(leaves):  # RFC 6962, 2.1
    level = [sha(b"\0", leaf) for leaf in leaves]
    while len(level) > 1:
        level = [sha(b"\1", *level[i:i + 2]) if i + 1 < len(level) else level[i] for i in range(0, len(level), 2)]
    return level[0].hex()

def main(file):
    wrong, entries, seals, heads, before = [], {}, [], {}, None
    for line in map(json.loads, open(file, encoding="utf-8")):
        if line["type"] == "entry": entries[int(line["id"])] = line
        elif line["type"] == "seal": seals.append(line)
    dropped = [r for s in seals if s["kind"] == "dropped" for r in ranges(s["ids"])]
    erased = [r for s in seals if s["kind"] == "erased" for r in ranges(s["ids"])]
    within = lambda number, parts: any(number in part for part in parts)
    for number, e in sorted(entries.items()):
        if entry_hash(e).hex() != e["hash"]: wrong.append(f"entry {number}: changed")
        last = heads.get((e["table"], e["printed"]["key"]))
        if last and (e["previous_id"], e["previous"]) != last: wrong.append(f"entry {number}: does not follow entry {last[0]}")
        if not last and e["previous_id"] and not within(int(e["previous_id"]), dropped): wrong.append(f"entry {e['previous_id']}: missing")
        if ("erased_reason" in e or any("erased" in f for f in e["fields"])) and not within(number, erased): wrong.append(f"entry {number}: erased without a seal")
        for key in filter(None, (e["printed"]["key"], e["printed"]["new_key"])): heads[e["table"], key] = (e["id"], e["hash"])
    for number, s in enumerate(seals, 1):
        content = array([s["number"], s["at"], s["kind"], s["month"], s["ids"], s["root"], s["detail"], s["previous"]])
        if s["number"] != str(number) or s["previous"] != before or sha(content).hex() != s["hash"]: wrong.append(f"seal {s['number']}: changed, or not chained")
        before = s["hash"]
        numbers = [i for r in ranges(s["ids"]) for i in r if s["kind"] == "entries" and not within(i, dropped)]
        wrong += [f"entry {i}: missing, seal {s['number']} is over it" for i in numbers if i not in entries]
        if numbers and all(i in entries for i in numbers) and root([entry_hash(entries[i]) for i in numbers]) != s["root"]: wrong.append(f"seal {s['number']}: not the entries that were sealed")
    print(*(wrong or [f"{len(entries)} entries, {len(seals)} seals: nothing is wrong."]), sep="\n")
    return 1 if wrong else 0

sys.exit(main(sys.argv[1]))
