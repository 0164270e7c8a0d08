"""Renders the scenes at the sizes the demo wants: `python scenes.py FOLDER [NAME...]`.

Each scene is a process of its own, started again for as long as it gets on, because the renderer's curves crash it now and then;
a scene goes on where it was, so this can be stopped and started at any time. What is there already is left alone.
"""
import os
import subprocess
import sys

# picture: program and its options
SCENES = {
    'furnace': ('furnace.py', '--width 1800 --height 1200 --spp 48'),
    'furnace-1931': ('furnace.py', '--width 1200 --height 850 --spp 40 --day 1'),
    'glass': ('glass.py', '--width 1800 --height 1200 --spp 64'),
    'knit': ('knit.py', '--width 1500 --height 1000 --spp 20'),
    'weave': ('weave.py', '--width 1800 --height 1200 --spp 64'),
    'group': ('group.py', '--width 1500 --height 1000 --spp 40'),
    'forest': ('forest.py', '--width 1500 --height 1000 --spp 32'),
    'night': ('night.py', '--width 2400 --height 1600 --oversample 2'),
    'harbour': ('harbour.py', '--width 7800 --height 3120 --spp 14'),
    'fleece': ('fleece.py', '--width 1800 --height 1200 --spp 32'),
    'sign': ('sign.py', '--width 3000 --height 2000 --spp 32'),
}


TRIES = 5


def main(folder, names):
    os.makedirs(folder, exist_ok=True)
    here = os.path.dirname(os.path.abspath(__file__))
    for name in names or SCENES:
        out = os.path.join(os.path.abspath(folder), name)
        program, options = SCENES[name]
        command = [sys.executable, program, '--out', out, *options.split()]
        tries, started = TRIES, 0
        while tries and not os.path.exists(out + '.exr'):
            before = kept(out)
            subprocess.run([*command, '--again', str(started)], cwd=here)
            started += 1
            tries = tries - 1 if kept(out) == before else TRIES
        if not os.path.exists(out + '.exr'):
            print(f'{name}: not rendered, the renderer failed {TRIES} times and got no further', file=sys.stderr)


def kept(out):
    """When the passes of a scene were last kept."""
    return os.path.getmtime(out + '.part.npz') if os.path.exists(out + '.part.npz') else None


if __name__ == '__main__':
    main(sys.argv[1], sys.argv[2:])
