#!/usr/bin/env python3
"""Pages in a real browser: headless Chromium, driven by ChromeDriver over the W3C protocol.

usage: pages_test.py COLVIK DATA_FOLDER
"""
import json
import pathlib
import re
import signal
import struct
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request

TOOL, DATA = sys.argv[1], pathlib.Path(sys.argv[2])
KEYS = {"right": "\ue014", "left": "\ue012", "home": "\ue011", "end": "\ue010", "escape": "\ue00c"}


class Browser:
    def __init__(self, width=1280, height=800):
        self.driver = subprocess.Popen(["chromedriver", "--port=0"], stdout=subprocess.PIPE, text=True)
        for line in self.driver.stdout:
            if port := re.search(r"started successfully on port (\d+)", line):
                self.url = f"http://127.0.0.1:{port[1]}"
                break
        options = {"args": ["--headless=new", "--no-sandbox", "--disable-dev-shm-usage", f"--window-size={width},{height}",
                            "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]}
        made = self.call("POST", "/session", {"capabilities": {"alwaysMatch": {
            "goog:chromeOptions": options, "goog:loggingPrefs": {"browser": "ALL"}}}})
        self.url += "/session/" + made["sessionId"]

    def call(self, method, path, body=None):
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.url + path, data, {"Content-Type": "application/json"}, method=method)
        with urllib.request.urlopen(request, timeout=120) as answer:
            return json.loads(answer.read())["value"]

    def open(self, page, fragment=""):
        self.call("POST", "/url", {"url": "about:blank"})
        self.call("POST", "/url", {"url": page.as_uri() + fragment})
        self.settle()

    def js(self, text):
        return self.call("POST", "/execute/sync", {"script": text, "args": []})

    def settle(self):
        """Lets two frames pass."""
        self.call("POST", "/execute/async", {"script": "const d = arguments[0];"
                  "requestAnimationFrame(() => requestAnimationFrame(() => d(1)));", "args": []})

    def keys(self, *keys):
        for key in keys:
            value = KEYS.get(key, key)
            self.call("POST", "/actions", {"actions": [{"type": "key", "id": "k", "actions": [
                {"type": "keyDown", "value": value}, {"type": "keyUp", "value": value}]}]})
        self.settle()

    def click(self, selector, x=0, y=0):
        self.pointer(selector, x, y, [{"type": "pointerDown", "button": 0}, {"type": "pointerUp", "button": 0}])

    def hover(self, selector, x, y):
        self.pointer(selector, x, y, [])

    def pointer(self, selector, x, y, then):
        """x and y count from the element's middle."""
        self.js(f"document.querySelector({selector!r}).scrollIntoView({{block: 'nearest'}})")
        self.settle()
        middle = self.js(f"const b = document.querySelector({selector!r}).getBoundingClientRect();"
                         "return [b.left + b.width / 2, b.top + b.height / 2]")
        move = {"type": "pointerMove", "x": int(middle[0] + x), "y": int(middle[1] + y), "origin": "viewport"}
        self.call("POST", "/actions", {"actions": [{"type": "pointer", "id": "m", "parameters": {"pointerType": "mouse"},
                                                    "actions": [move] + then}]})
        self.settle()

    def complaints(self):
        log = self.call("POST", "/se/log", {"type": "browser"})
        return [e["message"] for e in log if e["level"] == "SEVERE"]

    def close(self):
        try:
            self.call("DELETE", "")
        finally:
            self.driver.terminate()


def check(good, what):
    if not good:
        raise AssertionError(what)


def page_of(folder, scene, *more):
    out = folder / (pathlib.Path(scene).stem + ".html")
    subprocess.run([TOOL, "replay", str(scene), "--out", str(out), *more], check=True, stdout=subprocess.DEVNULL)
    return out


def test_plays_and_steps(browser, folder):
    for scene in ("night-depot", "loading-bay"):
        browser.open(page_of(folder, DATA / f"{scene}.toml"), "#t=2")
        check(browser.js("return state.time") == 2, "the address sets the moment")
        browser.keys("right")
        check(abs(browser.js("return state.time") - 121 / 60) < 1e-9, "one step on")
        browser.keys("left", "left")
        check(abs(browser.js("return state.time") - 119 / 60) < 1e-9, "one step back")
        check("#t=1.98" in browser.js("return location.href"), "the address follows")
        browser.keys("home")
        browser.keys(" ")
        time.sleep(0.6)
        browser.keys(" ")
        moved = browser.js("return state.time")
        check(0.2 < moved < 5 and not browser.js("return state.playing"), f"it plays: {moved}")
        browser.click("#line", x=130)
        check(browser.js("return state.time") > moved, "a click in the timeline goes there")
        browser.keys("end")
        check(browser.js("return state.time === end"), "the end")
        check(not browser.complaints(), "no complaint on the console")


def test_shows_what_the_run_had(browser, folder):
    scene = DATA / "night-depot.toml"
    log = folder / "events.jsonl"
    subprocess.run([TOOL, "run", str(scene), "--events", str(log)], check=True, stdout=subprocess.DEVNULL)
    events = [json.loads(line) for line in log.read_text().splitlines()]
    browser.open(page_of(folder, scene))
    fired = browser.js("return run.events.filter(e => e.kind === 'fired').map(e => [e.time, e.reaction])")
    expected = [[e["time"], e["reaction"]] for e in events if "reaction" in e]
    check(sorted(fired) == sorted(expected), "the reactions of the event log")
    courier = browser.js("const o = run.objects.find(o => o.name === 'courier');"
                         "return [0, 60, 240].map(s => placeOf(o, sampleAt(o, s)))")
    check(courier[0][0] < courier[1][0] < courier[2][0], "the courier goes on")
    # Hover says what it is and what it touches.
    browser.js("seek(4)")
    browser.settle()
    x, y = browser.js("const o = run.objects.find(o => o.name === 'courier');"
                      "const [w, h] = size(), p = toScreen(placeOf(o, sampleAt(o, stepOf(run))));"
                      "return [p[0] - w / 2, p[1] - h / 2]")
    browser.hover("#view", x, y)
    tip = browser.js("return tip.hidden ? '' : tip.textContent")
    check("courier" in tip and "touches:" in tip, f"the tip: {tip}")
    check(browser.js("return [...pictures.values()].every(p => p.complete && p.naturalWidth > 0) && pictures.size") == 1,
          "the drawing is in the page")
    # What changes of a thing is shown as it was then.
    flasks = browser.js("return run.objects.filter(o => o.asleep).map(o => [asleepAt(o, o.asleep[0][0] - 1), asleepAt(o, o.asleep[0][0])])")
    check(flasks and all(f == [False, True] for f in flasks), f"what falls asleep: {flasks}")
    browser.open(page_of(folder, DATA / "shelf-climb.toml"))
    stands = browser.js("const o = run.objects.find(o => o.name === 'courier');"
                        "return [60, 90, 174].map(s => standsAt(run, o, s))")
    check(stands == ["in the air", "stands on low-shelf", "stands on high-shelf"], f"the walker: {stands}")


def test_colliders_that_change(browser, folder):
    """A box of a metre is four at 1 s and off from 2 s on: it is hit where, and as long as, it is there."""
    for dimension, size, where in ((2, "[1, 1]", "toScreen"), (3, "[1, 1, 1]", "screenOf")):
        scene = folder / "changing.toml"
        scene.write_text(f"""colvik = 1
[world]
dimension = {dimension}
length = 3
[[objects]]
name = "gate"
collider = {{ box = {size}, schedule = [{{ at = 1, scale = 4 }}, {{ at = 2, on = false }}] }}
""")
        browser.open(page_of(folder, scene))
        point = f"const p = {where}([1.5, 0, 0].slice(0, D));"
        hit = "hitSolid" if dimension == 3 else "hitFlat"
        for moment, wanted in ((0.5, False), (1.5, True), (2.5, False), (1.2, True)):
            browser.js(f"seek({moment})")
            browser.settle()
            found = browser.js(f"{point} return {hit}(p[0], p[1]) !== null")
            check(found == wanted, f"{dimension}D at {moment} s: {found}")
        check(not browser.complaints(), "no complaint on the console")


def test_filters_and_goes_there(browser, folder):
    browser.open(page_of(folder, DATA / "night-depot.toml"))
    browser.keys("f")
    for letter in "collect":
        browser.keys(letter)
    check(browser.js("return rows.length > 0 && rows.every(e => e.text.includes('collect'))"), "filtered by text")
    browser.keys("escape")
    browser.js("filter.value = ''; refilter()")
    browser.settle()
    browser.keys("home", "n", "n", "p")
    check(browser.js("return state.lit.length > 0 && state.picked !== null"), "keys pick events")
    browser.click(".row")
    check(browser.js("return state.lit.length > 0"), "a click picks one")


def test_missed_and_second_run(browser, folder):
    browser.open(page_of(folder, DATA / "puck-sorter.toml", "--with", "first-open=0.95"))
    check(browser.js("return data.runs.length") == 2, "two runs")
    alone = browser.js("return all.filter(e => e.alone).map(e => e.text)")
    check(any("pucks.3" in t for t in alone), f"what only one has: {alone}")
    missed = folder / "missed.toml"
    missed.write_text((DATA / "puck-sorter.toml").read_text() + "\n[[expect]]\nreaction = 'sorted-left'\ntimes = 50\n")
    browser.open(page_of(folder, missed))
    text = browser.js("return document.getElementById('verdicts').textContent")
    check("\u2717 missed" in text, "a missed expectation is told by its mark, too")


def test_sizes_and_names(browser, folder):
    many = "colvik = 1\n[world]\ndimension = 2\nlength = 1\n[tags]\nred = ''\n"
    many += "[[objects]]\nname = '%s'\ntags = ['red']\nbody = 'kinematic'\nvelocity = [1, 0]\ncollider = { box = [1, 1] }\n" % ("x" * 60)
    many += "[[objects]]\nname = 'p'\ntags = ['red']\ngrid = { from = [1e6, 3], step = [2, 2], count = [50, 40] }\ncollider = { box = [1, 1] }\n"
    one = "colvik = 1\n[world]\ndimension = 2\nlength = 1\n[tags]\n"
    down = one.replace("length = 1", "length = 1\ngravity = [0, 980]\nmetre = 100") + \
        "[[objects]]\nname = 'drop'\nbody = 'dynamic'\nat = [400, 100]\ncollider = { box = [40, 40] }\n"
    for name, text in (("many", many), ("empty", one), ("down", down)):
        scene = folder / f"{name}.toml"
        scene.write_text(text)
        browser.open(page_of(folder, scene))
        browser.keys("end")
        check(not browser.complaints(), f"{name}: no complaint")
    fell = browser.js("const o = run.objects[0];"
                      "return [0, run.steps].map(s => toScreen(placeOf(o, sampleAt(o, s)))[1])")
    check(fell[1] > fell[0], "what falls goes down on the screen")


class Watch:
    """colvik watch of a copy of a scene, in a folder of its own."""

    def __init__(self, folder, scene):
        self.scene = folder / scene
        self.scene.write_text((DATA / scene).read_text())
        self.process = subprocess.Popen([TOOL, "watch", str(self.scene), "--port", "0"], stdout=subprocess.PIPE, text=True)
        self.url = re.search(r"http://\S+", self.process.stdout.readline())[0]
        self.said()

    def said(self):
        return self.process.stdout.readline()

    def ask(self, path, body=None, **headers):
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.url + path, data, headers)
        try:
            with urllib.request.urlopen(request, timeout=30) as answer:
                return answer.status, answer.read().decode()
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode()

    def end(self, browser):
        browser.call("POST", "/url", {"url": "about:blank"})  # it would miss the server
        self.process.send_signal(signal.SIGINT)
        check(self.process.wait(10) == 0, "Ctrl-C ends it with 0")


def until(browser, text, seconds=10):
    """Waits until it is true in the page, which may be loaded again meanwhile."""
    for _ in range(seconds * 20):
        try:
            if browser.js("return " + text):
                return
        except urllib.error.HTTPError:
            pass
        time.sleep(0.05)
    raise AssertionError(f"in {seconds} s not: {text}")


def test_follows_the_file(browser, folder):
    watch = Watch(folder, "shelf-climb.toml")
    try:
        browser.call("POST", "/url", {"url": watch.url + "#t=3"})
        until(browser, "run.steps === 540 && state.time === 3")
        text = watch.scene.read_text()
        watch.scene.write_text(text.replace("length    = 9", "length    = 8"))
        watch.said()
        until(browser, "run.steps === 480 && Math.abs(state.time - 3) < 0.001")
        watch.scene.write_text(text.replace("dimension = 2", "dimension = 7"))
        watch.said()
        until(browser, "problems.textContent.includes('shelf-climb.toml:7:13') && !problems.hidden")
        check(browser.js("return run.steps") == 480, "the last good run is kept")
        watch.scene.write_text(text)
        until(browser, "run.steps === 540 && problems.hidden")
        check(not browser.complaints(), "no complaint")
    finally:
        watch.end(browser)


def test_follows_what_files_name(browser, folder):
    """A model's buffers, in a folder that --files allows."""
    corners = [(x, y, z) for z in (-1, 1) for y in (-1, 1) for x in (-1, 1)]
    sides = [0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3]
    buffer = b"".join(struct.pack("<3f", *c) for c in corners) + struct.pack("<36H", *sides)
    (folder / "box.bin").write_bytes(buffer)
    (folder / "hall.gltf").write_text(json.dumps({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "wall", "mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3"},
                      {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"}],
        "bufferViews": [{"buffer": 0, "byteLength": 96}, {"buffer": 0, "byteOffset": 96, "byteLength": 72}],
        "buffers": [{"byteLength": 168, "uri": "box.bin"}]}))
    (folder / "scenes").mkdir()
    scene = folder / "scenes" / "hall.toml"
    scene.write_text("colvik = 1\n[world]\ndimension = 3\nlength = 1\n[kinds.wall]\n"
                     "[layout]\nfile = '../hall.gltf'\nmap = { wall = 'wall' }\n")
    process = subprocess.Popen([TOOL, "watch", str(scene), "--port", "0", "--files", str(folder)],
                               stdout=subprocess.PIPE, text=True)
    try:
        process.stdout.readline()
        check("0 of 0" in process.stdout.readline(), "it runs")
        (folder / "box.bin").write_bytes(buffer[:100])
        check("box.bin" in process.stdout.readline() + process.stdout.readline(), "the cut buffer is named")
        (folder / "box.bin").write_bytes(buffer)
        check("0 of 0" in process.stdout.readline(), "and good again")
    finally:
        process.send_signal(signal.SIGINT)
        process.wait(10)


def test_plays_with_keys(browser, folder):
    for scene, right in (("shelf-climb.toml", "right"), ("gantry-walk.toml", "right")):
        watch = Watch(folder, scene)
        try:
            browser.call("POST", "/url", {"url": watch.url})
            until(browser, "!driveButton.hidden")
            browser.click("#drive")
            until(browser, "driving && run.steps > 5")
            where = "placeOf" if scene.startswith("shelf") else "spotOf"
            at = f"const o = run.objects.find(o => o.name === 'courier'); return {where}(o, sampleAt(o, run.steps))[0]"
            before = browser.js(at)
            press = lambda kind: browser.call("POST", "/actions", {"actions": [
                {"type": "key", "id": "k", "actions": [{"type": kind, "value": KEYS[right]}]}]})
            press("keyDown")
            until(browser, "run.steps > 60")
            press("keyUp")
            after = browser.js(at)
            check(after > before + 0.3, f"the key moves it: {before} to {after}")
            browser.click("#play")
            time.sleep(0.2)
            paused = browser.js("return run.steps")
            time.sleep(0.3)
            check(browser.js("return run.steps") == paused, "it pauses")
            browser.click("#on")
            until(browser, f"run.steps === {paused + 1}")
            browser.click("#keep")
            until(browser, "document.getElementById('kept').open")
            played = browser.js("return document.getElementById('played').textContent")
            check("wishes" in played, played)
            browser.click("#keep-now")
            until(browser, "document.getElementById('keep-said').textContent.includes('expectations')")
            # What was kept runs as it was played, and what was pinned holds.
            text = watch.scene.read_text()
            check(f'wishes = "{scene[:-5]}.courier.wishes.toml"' in text.replace("  ", ""), "the scene names the wishes")
            ran = subprocess.run([TOOL, "run", str(watch.scene)], capture_output=True, text=True)
            check("CHANGED" not in ran.stdout, "pins hold: " + ran.stdout + ran.stderr)
            check(not browser.complaints(), "no complaint")
        finally:
            watch.end(browser)
        left = sorted(p.name for p in folder.iterdir() if p.name.startswith(scene[:-5]))
        check(left == [scene[:-5] + ".courier.wishes.toml", scene], f"nothing is left behind: {left}")


def test_refuses_others(browser, folder):
    watch = Watch(folder, "shelf-climb.toml")
    try:
        check(watch.ask("")[0] == 200, "its own page")
        for headers in ({"Host": "depot.example"}, {"Origin": "http://depot.example"}, {"Origin": "null"},
                        {"Sec-Fetch-Site": "cross-site"}):
            check(watch.ask("play", {}, **headers)[0] == 403, f"refused: {headers}")
        check(watch.ask("step", {"steps": 1, "held": []}) == (400, '{"problem":"nothing is played; POST /play first"}'), "no play")
        check(watch.ask("play", {})[0] == 200, "play")
        check(watch.ask("keep", {"wishes": True, "expectations": False})[0] == 400, "not over yet")
        check(watch.ask("step", {"steps": "x"})[0] == 400, "a wrong body")
        taken = subprocess.run([TOOL, "watch", str(watch.scene), "--port", watch.url.split(":")[2].strip("/")],
                               capture_output=True, text=True)
        check(taken.returncode == 2 and "is taken" in taken.stderr, taken.stderr)
    finally:
        watch.end(browser)


def main():
    failed = 0
    for size in ((1280, 800), (412, 900)):
        browser = Browser(*size)
        try:
            for test in (test_plays_and_steps, test_shows_what_the_run_had, test_colliders_that_change,
                         test_filters_and_goes_there, test_missed_and_second_run, test_sizes_and_names, test_follows_the_file,
                         test_follows_what_files_name, test_plays_with_keys, test_refuses_others):
                with tempfile.TemporaryDirectory() as name:
                    try:
                        test(browser, pathlib.Path(name))
                        print(f"{size}: {test.__name__}: good")
                    except AssertionError as error:
                        failed += 1
                        print(f"{size}: {test.__name__}: FAILED: {error}; console: {browser.complaints()}")
        finally:
            browser.close()
    return 1 if failed else 0


sys.exit(main())
