import { describe, expect, test } from "vitest";

import told from "../../../tests/vectors/frame.json";
import { parseFrame, readMeter, SILENT_DB } from "./frames";

const buffer = Uint8Array.from(atob(told.bytes_base64), (character) => character.charCodeAt(0)).buffer;

describe("the live message", () => {
  test("is read as the server packs it", () => {
    const frame = parseFrame(buffer);
    expect([frame.epoch, frame.serial, frame.revision]).toEqual([told.epoch, told.serial, told.revision]);
    expect(frame.firstSample).toBe(told.first_sample);
    expect(frame.positionSamples).toBe(told.position_samples);
    expect(frame.nSamples).toBe(told.n_samples);
    expect([...frame.mix]).toEqual(told.mix);
    expect([...frame.meters]).toEqual(told.meters);
    expect([...frame.reductions]).toEqual(told.reductions);
    expect([...frame.probe]).toEqual(told.probe);
    expect([...frame.spectrum]).toEqual(told.spectrum);
    expect([...frame.led]).toEqual(told.led);
    expect([...frame.curves]).toEqual(told.curves);
    expect([...frame.scope]).toEqual(told.scope);
    expect([...(frame.sound ?? [])]).toEqual(told.sound);
    expect([...(frame.other ?? [])]).toEqual(told.other);
  });
  test("has a meter for every strip and stage", () => {
    const frame = parseFrame(buffer);
    expect(readMeter(frame, 1, "pre-fader")).toEqual({ peakDb: -6, holdDb: -5, rmsDb: -4 });
    expect(readMeter(frame, 7, "source").peakDb).toBe(SILENT_DB);
    expect(readMeter(frame, -1, "source").peakDb).toBe(SILENT_DB);
    expect(readMeter(null, 0, "source").peakDb).toBe(SILENT_DB);
  });
});
