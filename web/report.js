// Draws the plots of a report and keeps them together: one zoom, one pointer, one choice of runs.
"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const charts = document.getElementById("charts");
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const look = document.getElementById("look");
  const readingShown = [null, null];
  let drawn = [];      // the plots that stand on the page
  let zoom = null;     // [from, to] in seconds; null: the whole time
  let printing = false;

  const element = (name, properties = {}, ...children) => {
    const made = Object.assign(document.createElement(name), properties);
    made.append(...children);
    return made;
  };
  const color = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const number = (value, digits) => value.toLocaleString("en", { minimumFractionDigits: digits, maximumFractionDigits: digits });
  const moment = (seconds) => {
    const minutes = Math.floor(seconds / 60);
    return `${minutes}:${(seconds - 60 * minutes).toFixed(2).padStart(5, "0")}`;
  };

  // A run's frames as two columns: seconds, milliseconds.
  const frameTimes = (frames) => {
    const count = frames.us.length, x = new Array(count), y = new Array(count);
    let at = frames.begin_us ?? 0;
    for (let i = 0; i < count; ++i) {
      at = frames.at_us ? frames.at_us[i] : at + frames.us[i];
      x[i] = at / 1e6;
      y[i] = frames.us[i] / 1e3;
    }
    return { x, y };
  };

  const compares = data.groups.length > 1;
  const runs = data.runs.map((run, place) => {
    const several = data.runs.filter((other) => other.group === run.group);
    return {
      ...run,
      times: frameTimes(run.frames),
      color: (compares ? run.group : place) % 6,
      // One run of each group at first, so that the lines can be told apart.
      shown: compares ? several[0] === run : place < 4,
      dash: compares ? [[], [7, 4], [2, 3], [9, 3, 2, 3], [4, 6]][several.indexOf(run) % 5] : [],
    };
  });
  const end = Math.max(0.001, ...runs.map((run) => run.times.x.at(-1) ?? 0));

  // The place in a sorted column that is nearest to a value; -1 in an empty one.
  const nearest = (column, value) => {
    let low = 0, high = column.length - 1;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (column[middle] < value) low = middle + 1; else high = middle;
    }
    return low > 0 && value - column[low - 1] < column[low] - value ? low - 1 : high < 0 ? -1 : low;
  };

  // Axis ticks of percentiles: as many nines as there are frames for.
  const percentilePlace = (percent) => -Math.log10(1 - percent / 100);
  const percentileTicks = [0, 50, 75, 90, 95, 99, 99.9, 99.99, 99.999];

  const overTime = (title, unit, digits, column) =>
    ({ title, unit, digits, column, x: [0, end], isTime: true, where: (x) => moment(x) });

  const figures = () => {
    const all = [
      overTime("Frame time, ms", "ms", 2, (run) => run.times),
      overTime("Frame rate of each second, FPS", "FPS", 1, (run) => run.rate),
    ];
    readingShown.forEach((id, place) => {
      const reading = data.readings.find((one) => one.id === id);
      if (reading)
        all.push({ ...overTime(reading.title, reading.unit, reading.digits, (run) => run.readings[id] ?? { x: [], y: [] }), place });
    });
    const bins = data.runs[0].spread.map((_, i) => (i + 0.5) * data.spread_most / data.runs[0].spread.length);
    all.push({
      title: "Spread of frame times: share of the frames, %", unit: "%", digits: 2, x: [0, data.spread_most],
      column: (run) => ({ x: bins, y: run.spread }), where: (x) => `${number(x, 1)} ms`, axis: "frame time, ms", steps: true,
    });
    const highest = Math.max(1, ...runs.map((run) => percentilePlace(run.percentiles.x.at(-1) ?? 0)));
    all.push({
      title: "Percentiles of frame time, ms", unit: "ms", digits: 2, x: [0, highest],
      column: (run) => ({ x: run.percentiles.x.map(percentilePlace), y: run.percentiles.y }),
      where: (x) => `${Number((100 * (1 - 10 ** -x)).toPrecision(5))} % of the frames are as fast or faster than`,
      ticks: percentileTicks.map(percentilePlace).filter((x) => x <= highest),
      tick: (x) => String(percentileTicks.find((one) => Math.abs(percentilePlace(one) - x) < 1e-9) ?? ""),
      axis: "percentile",
    });
    return all;
  };

  // Marks and hitches behind the lines of a plot over time.
  const drawMoments = (plot, shown) => {
    const { ctx, bbox } = plot;
    ctx.save();
    for (const run of shown) {
      ctx.fillStyle = color(`--c${run.color}`);
      ctx.globalAlpha = 0.16;
      for (const [begin, length] of run.hitches) {
        const from = plot.valToPos(begin, "x", true), to = plot.valToPos(begin + length, "x", true);
        if (to >= bbox.left && from <= bbox.left + bbox.width) ctx.fillRect(from, bbox.top, Math.max(2, to - from), bbox.height);
      }
      ctx.globalAlpha = 1;
      ctx.strokeStyle = ctx.fillStyle = color("--soft");
      ctx.setLineDash([5, 5]);
      ctx.font = `${12 * devicePixelRatio}px system-ui, sans-serif`;
      for (const [at, text] of shown.length === 1 ? run.marks : []) {
        const x = plot.valToPos(at, "x", true);
        if (x < bbox.left || x > bbox.left + bbox.width) continue;
        ctx.beginPath();
        ctx.moveTo(x, bbox.top);
        ctx.lineTo(x, bbox.top + bbox.height);
        ctx.stroke();
        ctx.fillText(text, x + 4, bbox.top + 14 * devicePixelRatio);
      }
    }
    ctx.restore();
  };

  const zoomTo = (range) => {
    zoom = range && range[1] - range[0] < end * 0.9999 ? [Math.max(0, range[0]), Math.min(end, range[1])] : null;
    for (const one of drawn.filter((one) => one.figure.isTime))
      one.plot.setScale("x", { min: zoom ? zoom[0] : 0, max: zoom ? zoom[1] : end });
  };

  // What every run has at that x, beside the plot.
  const tell = (one, x) => {
    const shown = runs.filter((run) => run.shown);
    const parts = shown.flatMap((run) => {
      const { x: at, y } = one.figure.column(run), place = nearest(at, x);
      return place < 0 || y[place] == null ? [] : [`${run.name}: ${number(y[place], one.figure.digits)} ${one.figure.unit}`];
    });
    one.output.textContent = parts.length === 0 ? "" : `${one.figure.where(x)} — ${parts.join("; ")}`;
  };

  const point = (x) => {
    for (const one of drawn.filter((one) => one.figure.isTime)) {
      one.x = x;
      const left = one.plot.valToPos(x, "x");
      one.plot.setCursor({ left, top: one.plot.over.clientHeight / 2 }, false);
      tell(one, x);
    }
  };

  const keys = (one, event) => {
    const { plot, figure } = one;
    const { min, max } = plot.scales.x;
    const step = (max - min) / 200 * (event.shiftKey ? 10 : 1);
    const at = one.x == null || one.x < min || one.x > max ? (min + max) / 2 : one.x;
    const move = (x) => {
      one.x = Math.min(max, Math.max(min, x));
      if (figure.isTime) return point(one.x);
      plot.setCursor({ left: plot.valToPos(one.x, "x"), top: plot.over.clientHeight / 2 }, false);
      tell(one, one.x);
    };
    const scale = (factor) => figure.isTime && zoomTo([at - (at - min) * factor, at + (max - at) * factor]);
    const actions = {
      ArrowLeft: () => move(at - step), ArrowRight: () => move(at + step), Home: () => move(min), End: () => move(max),
      "+": () => scale(0.5), "=": () => scale(0.5), "-": () => scale(2), 0: () => zoomTo(null),
    };
    if (!actions[event.key] || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    actions[event.key]();
  };

  const chooser = (place) => {
    const select = element("select", { ariaLabel: place === 0 ? "First reading" : "Second reading" });
    select.append(...data.readings.map((one) => element("option", { value: one.id, textContent: one.title })));
    select.value = readingShown[place];
    select.addEventListener("change", () => {
      readingShown[place] = select.value;
      draw();
      charts.querySelectorAll("figcaption select")[place]?.focus();
    });
    return select;
  };

  const width = () => Math.max(280, printing ? 960 : charts.clientWidth);

  const drawOne = (figure) => {
    const shown = runs.filter((run) => run.shown);
    const output = element("output");
    const holder = element("div", { className: "chart", tabIndex: 0 });
    holder.setAttribute("role", "group");
    holder.setAttribute("aria-label", `Plot: ${figure.title}. Arrow keys move the pointer, plus and minus zoom, zero shows all.`);
    const title = figure.place == null ? element("span", { textContent: figure.title }) : chooser(figure.place);
    charts.append(element("figure", {}, element("figcaption", {}, title), holder, output));
    const columns = shown.map((run) => figure.column(run));
    const tables = columns.map(({ x, y }) => [x, y]);
    const values = tables.length === 0 ? [[]] : tables.length === 1 ? tables[0] : uPlot.join(tables);
    const axis = { stroke: color("--ink"), grid: { stroke: color("--line"), width: 1 }, ticks: { stroke: color("--line"), width: 1 },
      font: "13px system-ui, sans-serif", labelFont: "13px system-ui, sans-serif" };
    const one = { figure, output, x: null };
    one.plot = new uPlot({
      width: width(), height: figure.isTime && figure.unit === "ms" ? 280 : 190,
      legend: { show: false },
      scales: {
        x: { time: false, range: (_, min, max) => (figure.isTime ? [min, max] : figure.x) },
        y: { range: (_, min, max) => {
          if (min == null) return [0, 1];
          const fromZero = !["°C", "MHz", "RPM"].includes(figure.unit) && min >= 0;
          const room = (max - (fromZero ? 0 : min)) * 0.06 || 1;
          return [fromZero ? 0 : min - room, max + room];
        } },
      },
      axes: [
        { ...axis, label: figure.axis ?? "seconds", labelSize: 20, size: 34, ...(figure.ticks ? { splits: () => figure.ticks,
          values: (_, splits) => splits.map(figure.tick) } : {}) },
        { ...axis, size: 58 },
      ],
      series: [{}, ...shown.map((run) => ({
        label: run.name, stroke: color(`--c${run.color}`), width: figure.isTime && figure.unit === "ms" ? 1 : 1.75, dash: run.dash,
        spanGaps: true, points: { show: false }, ...(figure.steps ? { paths: uPlot.paths.stepped({ align: 0 }) } : {}),
      }))],
      cursor: { y: false, points: { show: false }, drag: { x: figure.isTime === true, y: false, setScale: false } },
      hooks: {
        drawClear: [(plot) => figure.isTime && drawMoments(plot, shown)],
        setSelect: [(plot) => {
          if (plot.select.width < 3) return;
          zoomTo([plot.posToVal(plot.select.left, "x"), plot.posToVal(plot.select.left + plot.select.width, "x")]);
          plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
        }],
        ready: [(plot) => {
          plot.over.addEventListener("dblclick", () => figure.isTime && zoomTo(null));
          plot.over.addEventListener("mousemove", () => {
            const x = plot.posToVal(plot.cursor.left, "x");
            one.x = x;
            if (figure.isTime) point(x); else tell(one, x);
          });
        }],
      },
    }, values, holder);
    holder.addEventListener("keydown", (event) => keys(one, event));
    drawn.push(one);
  };

  const draw = () => {
    drawn.forEach((one) => one.plot.destroy());
    drawn = [];
    charts.replaceChildren();
    figures().forEach(drawOne);
    zoomTo(zoom);
  };

  const chooseRuns = () => {
    const list = document.getElementById("runs");
    runs.forEach((run) => {
      const box = element("input", { type: "checkbox", checked: run.shown });
      box.addEventListener("change", () => {
        run.shown = box.checked;
        draw();
      });
      run.box = box;
      list.append(element("label", {}, box, element("span", { className: `swatch fill${run.color}` }), run.name));
    });
  };

  const chooseReadings = () => {
    const has = (id) => data.readings.some((one) => one.id === id);
    const wanted = ["gpu.hotspot.temp", "gpu.temp", "gpu.clock", "gpu.power", "gpu.load", "cpu.load"].filter(has);
    const others = data.readings.map((one) => one.id).filter((id) => !wanted.includes(id));
    const first = [...wanted, ...others];
    readingShown[0] = first[0] ?? null;
    readingShown[1] = (has("gpu.clock") && first[0] !== "gpu.clock" ? "gpu.clock" : first[1]) ?? null;
  };

  const jump = (button) => {
    const run = runs[Number(button.dataset.run)];
    if (!run.shown) {
      run.shown = run.box.checked = true;
      draw();
    }
    zoomTo([Number(button.dataset.from), Number(button.dataset.to)]);
    charts.scrollIntoView();
    point((Number(button.dataset.from) + Number(button.dataset.to)) / 2);
    charts.querySelector(".chart").focus({ preventScroll: true });
  };

  const chooseLook = (name) => {
    document.documentElement.classList.remove("light", "dark");
    if (name) document.documentElement.classList.add(name);
    draw();
  };

  document.querySelector(".needs-script").remove();
  document.querySelector(".tools").hidden = false;
  chooseRuns();
  chooseReadings();
  draw();
  document.getElementById("whole").addEventListener("click", () => zoomTo(null));
  document.querySelectorAll(".jump").forEach((button) => button.addEventListener("click", () => jump(button)));
  look.addEventListener("change", () => chooseLook(look.value));
  dark.addEventListener("change", draw);
  let drawnWidth = width();
  addEventListener("resize", () => {
    if (printing || width() === drawnWidth) return;
    drawnWidth = width();
    drawn.forEach((one) => one.plot.setSize({ width: drawnWidth, height: one.plot.height }));
  });
  addEventListener("beforeprint", () => {
    printing = true;
    chooseLook("light");
  });
  addEventListener("afterprint", () => {
    printing = false;
    chooseLook(look.value);
  });
})();
