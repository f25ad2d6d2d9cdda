"""Write scene.wav: a bed of 5.1.4 described by a scene, its channels in an unusual order, written by another program.

It runs in the environment of make_panning.py (ear 2.1.0). Each channel holds a constant: its number in the layout, from
1, in hundredths.
"""

from pathlib import Path

import numpy as np
from ear.fileio import openBw64
from ear.fileio.adm.builder import ADMBuilder
from ear.fileio.adm.chna import populate_chna_chunk
from ear.fileio.adm.common_definitions import load_common_definitions
from ear.fileio.adm.generate_ids import generate_ids
from ear.fileio.adm.xml import adm_to_xml
from ear.fileio.bw64.chunks import ChnaChunk, FormatInfoChunk
from lxml import etree

ORDER = (3, 9, 0, 1, 5, 4, 8, 2, 7, 6)
"""Which of the layout's channels each of the file's is."""
CHANNELS = ("0001", "0002", "0003", "0004", "0005", "0006", "000d", "000f", "0010", "0012")
N_SAMPLES, RATE_HZ = 480, 48000


def main() -> None:
    builder = ADMBuilder()
    load_common_definitions(builder.adm)
    builder.create_programme(audioProgrammeName="Scene")
    builder.create_content(audioContentName="Scene")
    pack = builder.adm.lookup_element("AP_00010005")
    tracks = [builder.adm.lookup_element(f"AT_0001{number}_01") for number in CHANNELS]
    bed = builder.create_object(audioObjectName="Bed", audioPackFormats=[pack])
    for place, index in enumerate(ORDER):
        builder.create_track_uid(audioTrackFormat=tracks[index], audioPackFormat=pack, trackIndex=place + 1, parent=bed)
    generate_ids(builder.adm)
    chna = ChnaChunk()
    populate_chna_chunk(chna, builder.adm)
    axml = etree.tostring(adm_to_xml(builder.adm), pretty_print=True)
    samples = np.tile(0.01 * (np.array(ORDER) + 1.0), (N_SAMPLES, 1))
    form = FormatInfoChunk(formatTag=1, channelCount=len(ORDER), sampleRate=RATE_HZ, bitsPerSample=24)
    path = str(Path(__file__).parent / "scene.wav")
    with openBw64(path, "w", chna=chna, axml=axml, formatInfo=form, forceBw64=True) as file:
        file.write(samples)


if __name__ == "__main__":
    main()
