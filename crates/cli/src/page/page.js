"use strict";
(() => {
  const all = (query, within = document) => [...within.querySelectorAll(query)];
  const one = (query, within = document) => within.querySelector(query);
  const make = (tag, className, text) => {
    const element = document.createElement(tag);
    element.className = className;
    element.textContent = text;
    return element;
  };
  const isWindows = document.body.dataset.system === "windows";
  const key = (name) => (isWindows ? name.toLowerCase() : name);

  const search = one("#search");
  const answer = one("#answer");
  const rows = all(".commands tbody tr");
  const byName = new Map(rows.map((row) => [key(one("button", row).textContent), row]));
  const yards = all(".yard");
  const standings = { w: "runs", s: "shadowed", k: "skipped" };

  // A stop is written "ENTRY STANDING|FILE|VERSION|LEADS-TO|REASON", empty where there is nothing to tell. The same entry has
  // the same number in every yard, whatever track it is there.
  const entries = new Map(yards.map((yard) => [yard, all(".track", yard).map((track) => track.dataset.entry)]));
  const stops = (row, yard) => {
    const text = row.dataset["v" + yard.dataset.view] ?? row.dataset.v0 ?? "";
    if (!text) return [];
    return text.split(";").map((stop) => {
      const [place, file, version, leadsTo, reason] = stop.split("|").map(decodeURIComponent);
      const entry = place.slice(0, -1);
      return { track: entry && entries.get(yard).indexOf(entry), standing: standings[place.slice(-1)], file, version, leadsTo, reason };
    });
  };
  const visible = () => yards.filter((yard) => !yard.hidden);

  const clear = () => {
    all(".wagons, .detail").forEach((element) => element.replaceChildren());
    all(".detail").forEach((element) => { element.hidden = true; });
    all(".track").forEach((track) => track.classList.remove("passed", "won", "behind", "met"));
    yards.forEach((yard) => yard.classList.remove("searched"));
  };

  const couple = (track, stop, name) => {
    const words = [stop.file || name, stop.version].filter(Boolean).join(" ");
    const wagon = make("button", "wagon " + stop.standing, words + ": " + stop.standing);
    const detail = one(".detail", track);
    const folder = track.dataset.folder;
    const separator = isWindows ? "\\" : "/";
    const told = [
      folder.replace(/[\\/]+$/, "") + separator + (stop.file || name),
      stop.version ? "version " + stop.version : "version not recorded",
      stop.leadsTo && "leads to " + stop.leadsTo,
      stop.reason,
      track.dataset.by ? "added to PATH by " + track.dataset.by : "unknown origin in PATH",
    ];
    const show = () => {
      detail.textContent = told.filter(Boolean).join("; ");
      detail.hidden = false;
    };
    const hide = () => { detail.hidden = document.activeElement !== wagon; };
    wagon.type = "button";
    wagon.setAttribute("aria-describedby", detail.id);
    wagon.addEventListener("focus", show);
    wagon.addEventListener("mouseenter", show);
    wagon.addEventListener("blur", () => { detail.hidden = true; });
    wagon.addEventListener("mouseleave", hide);
    wagon.addEventListener("click", show);
    one(".wagons", track).append(wagon);
  };

  // Runs a search down the tracks of a yard, and says in words what it finds.
  const run = (yard, row, name) => {
    const met = stops(row, yard);
    const tracks = all(".track", yard);
    const winner = met.find((stop) => stop.standing === "runs");
    yard.classList.add("searched");
    tracks.forEach((track, at) => {
      const isBehind = winner && winner.track !== "" && at > winner.track;
      track.classList.add(winner && at === winner.track ? "won" : isBehind ? "behind" : "passed");
    });
    met.forEach((stop) => {
      const track = tracks[stop.track];
      if (!track) return;
      track.classList.add("met");
      couple(track, stop, name);
    });
    const where = yard.dataset.label ? yard.dataset.label + ": " : "";
    if (!winner) return where + name + " is not found.";
    const behind = met.filter((stop) => stop.standing === "shadowed").length;
    const version = winner.version ? " " + winner.version : "";
    const track = winner.track === "" ? "the folder the terminal opens in" : "track " + (winner.track + 1);
    const more = behind ? "; " + behind + (behind === 1 ? " copy is" : " copies are") + " shadowed" : "";
    return where + (winner.file || name) + version + " runs, from " + track + more + ".";
  };

  // With its extension a name of Windows means that file only; where others share the name, it has a row of its own.
  const found = (wanted) => {
    const row = byName.get(key(wanted));
    const bare = wanted.replace(/\.(com|exe|bat|cmd)$/i, "");
    if (row || !isWindows || bare === wanted) return row;
    const other = byName.get(key(bare));
    const isIt = (stop) => key(stop.file || one("button", other).textContent) === key(wanted);
    return other && visible().every((yard) => stops(other, yard).every(isIt)) ? other : undefined;
  };

  const ask = () => {
    const wanted = search.value.trim();
    clear();
    filter();
    if (!wanted) {
      answer.textContent = "";
      return;
    }
    const row = found(wanted);
    if (row) {
      const name = one("button", row).textContent;
      answer.textContent = visible().map((yard) => run(yard, row, name)).join(" ");
    } else {
      const number = rows.filter((row) => !row.hidden).length;
      answer.textContent = "No command named " + wanted + (number ? "; the table lists " + number + " with that in the name." : ".");
    }
  };

  let folder = null;
  const filter = () => {
    const wanted = key(search.value.trim());
    for (const row of rows) {
      const isNamed = key(one("button", row).textContent).includes(wanted);
      const isThere = !folder || stops(row, folder.yard).some((stop) => stop.track === folder.track);
      row.hidden = !(isNamed && isThere);
    }
    const number = rows.filter((row) => !row.hidden).length;
    one("#shown").textContent = number + " of " + rows.length + (folder ? " commands, in " + folder.name : " commands");
    one("#everything").hidden = !folder;
  };

  // The table says what the map says, for the terminal that is shown.
  const fill = () => {
    const shown = visible();
    for (const row of rows) {
      const cells = all("td", row);
      const met = stops(row, shown[0]);
      const winner = met.find((stop) => stop.standing === "runs");
      const place = (stop) => (stop.track === "" ? "~" : String(stop.track + 1));
      cells[0].textContent = winner ? place(winner) : "";
      cells[1].textContent = winner?.version ?? "";
      cells[2].textContent = met.filter((stop) => stop.standing === "shadowed").map(place).join(", ");
    }
  };

  all("input[name=terminal]").forEach((choice) => choice.addEventListener("change", () => {
    yards.forEach((yard) => { yard.hidden = yard.dataset.view !== choice.value; });
    folder = null;
    fill();
    ask();
  }));
  search.addEventListener("input", ask);
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") all(".detail").forEach((element) => { element.hidden = true; });
  });
  rows.forEach((row) => one("button", row).addEventListener("click", (event) => {
    search.value = event.currentTarget.textContent;
    folder = null;
    ask();
    search.focus();
    one("#map").scrollIntoView();
  }));
  all(".list").forEach((button) => button.addEventListener("click", () => {
    const track = button.closest(".track");
    const yard = button.closest(".yard");
    folder = { yard, track: Number(track.dataset.at), name: track.dataset.folder };
    search.value = "";
    ask();
    one("#commands").scrollIntoView();
    one("#everything").focus();
  }));
  one("#everything").addEventListener("click", () => {
    folder = null;
    filter();
    search.focus();
  });

  // A link to a page can name a command: path.html#command=NAME.
  const follow = () => {
    const named = /^#command=(.+)$/.exec(location.hash);
    if (!named) return;
    try {
      search.value = decodeURIComponent(named[1]);
    } catch {
      search.value = named[1];
    }
    folder = null;
    ask();
  };
  addEventListener("hashchange", follow);
  follow();

  const findings = all(".findings tbody tr");
  const severity = one("#severity");
  const words = one("#words");
  const narrow = () => {
    const wanted = words.value.trim().toLowerCase();
    let number = 0;
    for (const row of findings) {
      const isSevere = !severity.value || row.dataset.severity === severity.value;
      row.hidden = !(isSevere && row.textContent.toLowerCase().includes(wanted));
      number += row.hidden ? 0 : 1;
    }
    one("#found").textContent = number + " of " + findings.length + " findings";
  };
  if (severity) {
    severity.addEventListener("change", narrow);
    words.addEventListener("input", narrow);
  }
  all(".findings thead button").forEach((button) => button.addEventListener("click", () => {
    const heading = button.closest("th");
    const isDown = heading.getAttribute("aria-sort") === "ascending";
    all(".findings thead th[aria-sort]").forEach((other) => other.setAttribute("aria-sort", "none"));
    heading.setAttribute("aria-sort", isDown ? "descending" : "ascending");
    const rank = (row) => (heading.cellIndex === 0 ? row.dataset.rank : row.cells[heading.cellIndex].textContent);
    findings.sort((a, b) => (isDown ? -1 : 1) * rank(a).localeCompare(rank(b), "en", { numeric: true }));
    findings.forEach((row) => row.parentNode.append(row));
  }));
})();
