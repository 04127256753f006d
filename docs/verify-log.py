"""Verifies a log that was exported with `quill log export > log.jsonl`, with nothing but Python:  python3 verify-log.py log.jsonl

Prints what is wrong, a line each, and ends with 1 where anything is. The form that it goes by is told in log.md.
Signatures are not looked at; `openssl pkeyutl -verify -rawin` does that, over the 32 bytes of a seal's hash. Seals that were kept elsewhere are given
as a second file. Rows, triggers and functions are not in an export: `quill log verify` holds those against the log.
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

def more(e):  # a value where the hash knows of none
    return e.get("erased_reason") and e["reason"] is not None or any(
        f[side] is not None and ("hidden" in f or side in f.get("erased", {})) for f in e["fields"] for side in ("old", "new"))

def merged(parts):
    ends = []
    for part in sorted(parts, key=lambda r: r.start):
        if ends and ends[-1][1] == part.start: ends[-1][1] = part.stop
        else: ends.append([part.start, part.stop])
    return ends

def acts(entries, seals, found):  # what is done to the log itself is an entry, and a seal that names it
    told = {number: e for number, e in sorted(entries.items()) if e["table"].startswith("quill_log.")}
    detail = lambda e: json.loads(e["fields"][0]["new"]) if e["fields"] else None
    installed = [e for e in told.values() if e["table"] == "quill_log.installed"]
    named = [s for s in seals if s["kind"] != "entries" and "entry" in json.loads(s["detail"])]
    since = int(detail(installed[0])["seals"]) if installed else int(named[0]["number"]) - 1 if named else None
    months, known = {}, {int(e["id"]) for e in told.values() if e["table"] in ("quill_log.installed", "quill_log.imported")}
    found += [f"entry {e['id']}: the log began already" for e in installed[1:]]
    for s in seals:
        if s["kind"] == "entries": months.setdefault(s["month"], []).append(s); continue
        said = json.loads(s["detail"]); entry = said.pop("entry", None)
        if s["kind"] == "dropped":
            of = months.pop(s["month"], [])
            if merged(ranges(s["ids"])) != merged([r for o in of for r in ranges(o["ids"])]) or not of or root([bytes.fromhex(o["hash"]) for o in of]) != s["root"]:
                found.append(f"seal {s['number']}: what was dropped is not what was sealed of its month")
        if entry is None:
            if since is not None and int(s["number"]) > since: found.append(f"seal {s['number']}: no entry tells of it")
            continue
        known.add(int(entry)); e = told.get(int(entry))
        if e is None and any(o["kind"] == "dropped" and int(o["number"]) > int(s["number"]) and any(int(entry) in r for r in ranges(o["ids"])) for o in seals): continue
        if e is None or e["table"] != "quill_log." + s["kind"] or e["way"] != "log" or detail(e) != said or (said["ids"], said["root"]) != (s["ids"], s["root"]):
            found.append(f"seal {s['number']}: entry {entry} does not tell of it")
        of = [entries.get(i) for r in ranges(s["ids"]) for i in r] if s["kind"] == "erased" else []
        if of and all(of) and root([entry_hash(e) for e in of]) != s["root"]: found.append(f"seal {s['number']}: not the entries of which it says that values were erased")
    found += [f"entry {number}: no seal says what it tells of" for number in told if number not in known]

def main(file, outside=None):
    wrong, entries, seals, heads, before = [], {}, [], {}, None
    for line in map(json.loads, open(file, encoding="utf-8")):
        if line["type"] == "entry": entries[int(line["id"])] = line
        elif line["type"] == "seal": seals.append(line)
    dropped = [r for s in seals if s["kind"] == "dropped" for r in ranges(s["ids"])]
    erased = [(r, json.loads(s["detail"])) for s in seals if s["kind"] == "erased" for r in ranges(s["ids"])]
    within = lambda number, parts: any(number in part for part in parts)
    for number, e in sorted(entries.items()):
        if entry_hash(e).hex() != e["hash"] or more(e): wrong.append(f"entry {number}: changed")
        last = heads.get((e["table"], e["printed"]["key"]))
        if last and (e["previous_id"], e["previous"]) != last: wrong.append(f"entry {number}: does not follow entry {last[0]}")
        if not last and e["previous_id"] and not within(int(e["previous_id"]), dropped): wrong.append(f"entry {e['previous_id']}: missing")
        told = [d for r, d in erased if number in r]
        gone = [f["field"] for f in e["fields"] if "erased" in f]
        if not all(any(f in d.get("fields", [f]) for d in told) for f in gone) or "erased_reason" in e and not any(d.get("reasons", True) for d in told):
            wrong.append(f"entry {number}: erased without a seal")
        for key in filter(None, (e["printed"]["key"], e["printed"]["new_key"])): heads[e["table"], key] = (e["id"], e["hash"])
    for number, s in enumerate(seals, 1):
        content = array([s["number"], s["at"], s["kind"], s["month"], s["ids"], s["root"], s["detail"], s["previous"]])
        if s["number"] != str(number) or s["previous"] != before or sha(content).hex() != s["hash"]: wrong.append(f"seal {s['number']}: changed, or not chained")
        before = s["hash"]
        numbers = [i for r in ranges(s["ids"]) for i in r if s["kind"] == "entries" and not within(i, dropped)]
        wrong += [f"entry {i}: missing, seal {s['number']} is over it" for i in numbers if i not in entries]
        if numbers and all(i in entries for i in numbers) and root([entry_hash(entries[i]) for i in numbers]) != s["root"]: wrong.append(f"seal {s['number']}: not the entries that were sealed")
    acts(entries, seals, wrong)
    copies = [json.loads(line) for line in open(outside, encoding="utf-8")] if outside else []
    wrong += [f"seal {c['number']}: not the one that was kept elsewhere" for c in copies if {s["number"]: s["hash"] for s in seals}.get(c["number"]) != c["hash"]]
    print(*(wrong or [f"{len(entries)} entries, {len(seals)} seals: nothing is wrong."]), sep="\n")
    return 1 if wrong else 0

sys.exit(main(*sys.argv[1:]))
