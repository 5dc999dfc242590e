"""Recordings as files: of the packages that edges.json and sections.json name."""
import subprocess


def decode(folder, paths, to):
    """Decodes a recording below `folder` to a WAV, several files of one song mixed; at most ten minutes of it. Gives the WAV."""
    inputs = [part for path in paths for part in ("-i", str(folder / path))]
    mix = ["-filter_complex", f"amix=inputs={len(paths)}:normalize=0"] if len(paths) > 1 else []
    subprocess.run(["ffmpeg", "-v", "fatal", "-y", *inputs, *mix, "-vn", "-t", "600", str(to)], check=True)
    return to
