"""Photographs out of the linear pictures of the scenes: the camera's settings, the file, and what it says of itself.

    python photographs.py FOLDER_OF_EXR ../pictures [NAME...]

Cameras, people and dates are made up.
"""
import os
import sys

import numpy as np
from PIL import Image

import camera
from common import load_exr

# EXIF tags: 0x829A exposure time, 0x829D f-number, 0x8827 ISO, 0x9003 date, 0x920A focal length.
CAMERA = ('Brina Ottica', 'BO-6')

# name: scene, camera settings, JPEG quality, exposure time, f-number, focal length in mm, date
PHOTOGRAPHS = {
    'vetreria-front': ('sign', dict(iso=100, balance=(.97, 1.0, 1.06), blur=.45, vignette=.25, sharp=.5, contrast=1.05),
                       88, 1 / 320, 8.0, 50, '2026:05:14 17:42:10'),
    'vases-large': ('glass', dict(iso=200, balance=(1.0, .97, .92), contrast=1.08, blur=.4, glare=.02, vignette=.3, key=.23),
                    92, 1 / 60, 4.0, 85, '2026:06:02 16:05:31'),
    'furnace-hall-large': ('furnace', dict(iso=12800, ev=1.6, balance=(.78, 1.0, 1.4), headroom=10, glare=.045,
                                           glare_radius=120, blur=.65, vignette=.35),
                           92, 1 / 80, 2.8, 24, '2026:06:02 22:18:44'),
    'courtyard-large': ('forest', dict(iso=400, balance=(1.02, 1.0, .97), saturation=.9, headroom=6, blur=.4, vignette=.3, key=.115),
                        92, 1 / 125, 5.6, 60, '2026:10:21 11:30:02'),
    'knit-large': ('knit', dict(iso=200, balance=(1.0, .98, .94), blur=.4, vignette=.3),
                   92, 1 / 100, 5.6, 85, '2026:07:09 10:12:57'),
}


def exif(iso, seconds, aperture, focal, date):
    tags = Image.Exif()
    tags[0x010F], tags[0x0110], tags[0x0131] = CAMERA[0], CAMERA[1], 'Isola Brina demo'
    tags[0x0132] = date
    inner = tags.get_ifd(0x8769)
    inner[0x829A], inner[0x829D], inner[0x8827], inner[0x9003], inner[0x920A] = seconds, aperture, iso, date, focal
    return tags


def main(folder, target, names):
    for name in names or PHOTOGRAPHS:
        scene, settings, quality, seconds, aperture, focal, date = PHOTOGRAPHS[name]
        source = os.path.join(folder, scene + '.exr')
        if not os.path.exists(source):
            print(f'{name}: {source} is not there, render the scene first')
            continue
        linear = load_exr(source)
        settings = dict(settings)
        key = settings.pop('key', None)
        if key:
            settings['ev'] = camera.auto_ev(linear, key)
        pixels = camera.shoot(linear, seed=sum(map(ord, name)), **settings)
        path = os.path.join(target, name + '.jpg')
        Image.fromarray(pixels).save(path, 'JPEG', quality=quality, subsampling='4:2:0',
                                     exif=exif(settings['iso'], seconds, aperture, focal, date))
        print(f'{path}: {pixels.shape[1]}x{pixels.shape[0]}, {os.path.getsize(path) / 1e6:.1f} MB')


if __name__ == '__main__':
    main(sys.argv[1], sys.argv[2], sys.argv[3:])
