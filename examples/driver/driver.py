#!/usr/bin/env python3
"""A driver in another language: that of the simulated cloud, with nothing but what Python brings along.

docs/driver.md is the protocol. Each question is a line of JSON on standard input, each answer one on standard output.

    CLOUD_URL=http://127.0.0.1:8470 CLOUD_KEY_FILE=cloud.keys wendrik driver -try -- python3 driver.py
"""

import json
import os
import sys
import threading
import urllib.error
import urllib.parse
import urllib.request

URL = os.environ.get("CLOUD_URL", "http://127.0.0.1:8470")
with open(os.environ.get("CLOUD_KEY_FILE", "cloud.keys"), encoding="utf-8") as f:
    KEY = f.readline().split(": ", 1)[1].strip()

OPENER = urllib.request.build_opener(urllib.request.ProxyHandler({}))
KINDS = {}  # by the id of a thing
WRITING = threading.Lock()


class Refused(Exception):
    def __init__(self, code, message, data=None):
        super().__init__(message)
        self.error = {"code": code, "message": message}
        if data:
            self.error["data"] = data


def call(method, path, body=None):
    """Asks the cloud, and raises what it refuses."""
    raw = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(URL + path, data=raw, method=method)
    request.add_header("Authorization", "Bearer " + KEY)
    request.add_header("Content-Type", "application/json")
    try:
        with OPENER.open(request, timeout=30) as answer:
            raw = answer.read()
    except urllib.error.HTTPError as e:
        problem = json.loads(e.read())
        data = {"reason": problem["reason"]}
        if "after_ms" in problem:
            data["after_ms"] = problem["after_ms"]
        raise Refused(-32000, problem["detail"], data) from None
    return json.loads(raw) if raw else {}


def known(thing):
    KINDS[thing["id"]] = thing["kind"]
    return thing


def place(id, kind=None):
    kind = kind or KINDS.get(id) or known(call("GET", "/v1/things/" + urllib.parse.quote(id)))["kind"]
    return "/v1/%ss/%s" % (kind, urllib.parse.quote(id))


def hello(q):
    if q.get("protocol") != 1:
        raise Refused(-32000, "this driver speaks version 1", {"reason": "unsupported"})
    return {**call("GET", "/v1/cloud"), "driver": "the example in Python"}


def things(q):
    page = q.get("page", "")
    if page == "neighbours":
        return call("GET", "/v1/neighbours")
    answer = call("GET", "/v1/things?limit=500&page=" + urllib.parse.quote(page))
    for thing in answer["things"]:
        known(thing)
    answer.setdefault("next", "neighbours")
    return answer


def make(q):
    if not q["kind"].replace("-", "").isalpha():
        raise Refused(-32000, "there is no such kind", {"reason": "invalid"})
    body = {k: q[k] for k in ("name", "labels", "props", "token", "note") if k in q}
    try:
        return known(call("POST", "/v1/%ss" % q["kind"], body))
    except Refused as e:
        if e.error.get("data", {}).get("reason") == "not-found" and "there is nothing at" in str(e):
            raise Refused(-32000, "there is no such kind", {"reason": "invalid"}) from None
        raise


def change(q):
    return call("PATCH", place(q["id"]), {k: q[k] for k in ("props", "labels", "note") if k in q})


def remove(q):
    return call("DELETE", place(q["id"]) + "?note=" + urllib.parse.quote(q.get("note", "")))


def accept(q):
    return call("POST", place(q["id"]) + "/accept", {"side": q["side"], "note": q.get("note", "")})


METHODS = {
    "hello": hello, "things": things, "make": make, "change": change, "remove": remove, "accept": accept,
    "thing": lambda q: known(call("GET", "/v1/things/" + urllib.parse.quote(q["id"]))),
    "lock": lambda q: call("POST", "/v1/locks", q),
    "unlock": lambda q: call("DELETE", "/v1/locks", q),
    "log": lambda q: call("GET", "/v1/log?after=%d" % q.get("after", 0)),
}


def answer(line):
    question = json.loads(line)
    out = {"jsonrpc": "2.0", "id": question.get("id")}
    try:
        if question.get("method") not in METHODS:
            raise Refused(-32601, "there is no method %r" % question.get("method"))
        out["result"] = METHODS[question["method"]](question.get("params") or {})
    except Refused as e:
        out["error"] = e.error
    except KeyError as e:
        out["error"] = {"code": -32602, "message": "the parameters lack %s" % e}
    except Exception as e:  # no answer came, or none that can be read
        out["error"] = {"code": -32603, "message": str(e)}
    with WRITING:
        print(json.dumps(out), flush=True)


def main():
    asked = []
    for line in sys.stdin:
        thread = threading.Thread(target=answer, args=(line,))
        thread.start()
        asked.append(thread)
        asked = [t for t in asked if t.is_alive()]
    for thread in asked:
        thread.join()


main()
