#!/usr/bin/env python3
"""A fleet's office opens a job at its workshop and fetches the proof when it is done.

    fleet.py --at https://shop.example --token vdt_… open "FORK 5" "Fork lift engine, 2.0 l" "Lamp comes on once it is warm"
    fleet.py --at https://shop.example --token vdt_… state 17
    fleet.py --at https://shop.example --token vdt_… proof 17 report-17.json

Python's own library is enough. A token that may “open jobs …”, “read jobs …”, “read engines …” and “fetch reports …”, for jobs that it opened itself, is what it needs.
"""
import argparse
import json
import sys
import urllib.error
import urllib.request
import uuid


class Shop:
    def __init__(self, at, token):
        self.base = at.rstrip("/") + "/api/v1"
        self.token = token

    def ask(self, path, send=None, key=None):
        """One request; what is refused ends the program with the shop's own words."""
        headers = {"authorization": f"Bearer {self.token}"}
        if send is not None:
            send = json.dumps(send).encode()
            # Sent again with the same key, it is done once.
            headers |= {"content-type": "application/json", "idempotency-key": key or str(uuid.uuid4())}
        request = urllib.request.Request(self.base + path, send, headers)
        try:
            with urllib.request.urlopen(request, timeout=30) as answer:
                return answer.headers, answer.read()
        except urllib.error.HTTPError as refused:
            problem = json.load(refused)
            errors = "".join(f"\n  {one['path']}: {one['message']}" for one in problem.get("errors", []))
            sys.exit(f"{problem['title']}: {problem['detail']}{errors}")
        except urllib.error.URLError as error:
            sys.exit(f"The shop's server does not answer: {error.reason}")

    def get(self, path):
        return json.loads(self.ask(path)[1])


def main():
    options = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    options.add_argument("--at", required=True, help="where the shop's server is")
    options.add_argument("--token", required=True)
    what = options.add_subparsers(dest="what", required=True)
    opening = what.add_parser("open", help="open a job; prints its number")
    opening.add_argument("tag", help="plate or fleet number")
    opening.add_argument("engine", help="name of the engine, as the shop has it")
    opening.add_argument("complaint")
    opening.add_argument("--order", help="number of your own order: the same order never opens a second job")
    state = what.add_parser("state", help="where a job is")
    state.add_argument("job", type=int)
    proof = what.add_parser("proof", help="fetch the report of a closed job, signed by the shop")
    proof.add_argument("job", type=int)
    proof.add_argument("file")
    said = options.parse_args()
    shop = Shop(said.at, said.token)

    if said.what == "open":
        engines = shop.get("/engines")
        found = [engine for engine in engines if engine["name"] == said.engine]
        if not found:
            names = "\n  ".join(engine["name"] for engine in engines)
            sys.exit(f"The shop has no engine “{said.engine}”. It has:\n  {names}")
        new = {"tag": said.tag, "engine": found[0]["id"], "complaint": said.complaint}
        _, answer = shop.ask("/jobs", new, said.order)
        print(json.loads(answer)["number"])
    elif said.what == "state":
        job = shop.get(f"/jobs/{said.job}")
        when = "closed" if job["closed_at"] else f"at the stage “{job['stage']}”"
        print(f"Job {job['number']}, {job['tag']}: {when}, may it run: {job['flag']}")
    else:
        headers, report = shop.ask(f"/jobs/{said.job}/report")
        if headers["report-signed"] != "true":
            sys.exit(f"The report of job {said.job} is not signed yet: the job is still open.")
        with open(said.file, "wb") as file:
            file.write(report)
        print(f"{said.file} is the signed report. Check it with the shop's key: velvet-dial verify {said.file}")


main()
