"""Photographs out of the linear pictures of the scenes: the camera's settings, the file, what it says of itself, and the truth.

    python photographs.py FOLDER_OF_EXR ../pictures ../truth [NAME...]

A scene is rendered larger than the camera records it; what an ideal camera of that size would have seen, without noise, blur
or JPEG, is the truth that an enlargement can be held against. Cameras, people and dates are made up. The last column that is
printed is the noise that the camera put in: the standard deviation between two shots of the same scene over the square root of
two, in 8-bit levels, in the middle tones.
"""
import os
import sys

import numpy as np
import tifffile
from PIL import Image, ImageCms
from skimage.restoration import denoise_nl_means, estimate_sigma

import camera
from common import despeckle, load_exr

CAMERA, PHONE = ('Brina Ottica', 'BO-6'), ('Isolana', 'Tasca 2')

# name: scene; how many rendered pixels make one of the camera's; camera settings (`key` is the median's tone, `well` the
# electrons that a pixel holds at ISO 100); file; exposure time, f-number, focal length in mm, date; how strongly the paths' noise is
# taken out of the truth, where one is kept
PHOTOGRAPHS = {
    'isola-brina-sign': dict(scene='sign', shrink=4, iso=400, balance=(.97, 1.0, 1.06), blur=.6, vignette=.3, sharp=1.1, contrast=1.1,
                             file='jpg', quality=58, of=PHONE, taken=(1 / 950, 1.8, 4.3, '2026:05:14 17:38:52'), truth=0.0),
    'vetreria-front': dict(scene='sign', iso=100, balance=(.97, 1.0, 1.06), blur=.45, vignette=.25, sharp=.5, contrast=1.05,
                           file='jpg', quality=88, taken=(1 / 320, 8.0, 50, '2026:05:14 17:42:10')),
    'vases-on-the-sill': dict(scene='glass', shrink=2, iso=200, balance=(1.0, .97, .92), contrast=1.08, blur=.4, glare=.02, vignette=.3,
                              key=.23, file='jpg', quality=90, taken=(1 / 60, 4.0, 85, '2026:06:02 16:05:31'), truth=.7),
    'furnace-hall': dict(scene='furnace', iso=12800, ev=1.9, balance=(.78, 1.0, 1.4), headroom=5, well=120000, glare=.04,
                         glare_radius=70, blur=.65, vignette=.3, specks=(2.0, 1.7), file='jpg', quality=92,
                         taken=(1 / 80, 2.8, 24, '2026:06:02 22:18:44')),
    'kiln-chimneys': dict(scene='night', shrink=2, iso=6400, ev=2.9, headroom=1.5, well=120000, blur=.5, glare=.04, glare_radius=30,
                          vignette=.45, file='dng', taken=(15.0, 2.0, 20, '2026:08:12 02:40:07')),
    'courtyard-fern': dict(scene='forest', shrink=2, iso=400, balance=(1.02, 1.0, .97), saturation=.9, headroom=6, blur=.4,
                           vignette=.3, key=.115, file='jpg', quality=88, taken=(1 / 125, 5.6, 60, '2026:10:21 11:30:02'), truth=.6),
    'weavers-shop': dict(scene='knit', shrink=2, iso=200, balance=(1.0, .98, .94), blur=.4, vignette=.3, file='jpg', quality=90,
                         taken=(1 / 100, 5.6, 85, '2026:07:09 10:12:57'), truth=.7),
    'embroidered-runner': dict(scene='weave', shrink=2, iso=800, balance=(1.0, .98, .95), blur=.4, vignette=.3, file='jpg', quality=90,
                               taken=(1 / 80, 4.0, 60, '2026:07:09 10:22:08'), truth=.5),
    'sheepskin': dict(scene='fleece', shrink=2, iso=100, balance=(1.0, .98, .95), blur=.4, vignette=.25, key=.2, file='tif',
                      taken=(1 / 60, 8.0, 70, '2026:07:09 10:31:20'), truth=0.0),
    'harbour-morning': dict(scene='harbour', iso=100, key=.17, headroom=6, blur=.4, vignette=.2, sharp=.3, file='jpg', quality=76,
                            of=('Brina Ottica', 'BO-24'), taken=(1 / 250, 8.0, 32, '2026:05:15 07:12:26')),
}


def smaller(linear, n):
    """Means of n x n blocks: what pixels n times as large collect."""
    h, w = (side // n for side in linear.shape[:2])
    return linear[:h * n, :w * n].reshape(h, n, w, n, 3).mean((1, 3))


# From XYZ at D65 to linear sRGB (IEC 61966-2-1).
XYZ_TO_SRGB = np.array([[3.2406, -1.5372, -.4986], [-.9689, 1.8758, .0415], [.0557, -.2040, 1.0570]])


def raw_file(path, seen, maker, taken, seed, iso, ev, headroom, well=camera.FULL_WELL, **lens):
    """A DNG of what the sensor saw: nothing developed, the tags that say how (DNG specification 1.4)."""
    sees = 1 / np.array(camera.WB_DAYLIGHT)
    levels = camera.exposed(camera.lens(seen * 2.0 ** ev, **lens) / headroom, iso=iso, seed=seed, well=well)
    fractions = lambda values: sum(((round(v * 10000), 10000) for v in values), ())
    seconds, aperture, focal, date = taken
    tags = [(271, 's', 0, maker[0], True), (272, 's', 0, maker[1], True), (33421, 'H', 2, (2, 2), True), (33422, 'B', 4, (0, 1, 1, 2), True),
            (33434, '2I', 1, fractions([seconds]), True), (33437, '2I', 1, fractions([aperture]), True), (34855, 'H', 1, iso, True),
            (36867, 's', 0, date, True), (37386, '2I', 1, fractions([focal]), True), (50706, 'B', 4, (1, 4, 0, 0), True),
            (50708, 's', 0, ' '.join(maker), True), (50714, 'H', 1, camera.BLACK, True), (50717, 'I', 1, camera.BLACK + camera.RANGE, True),
            (50721, '2i', 9, fractions((XYZ_TO_SRGB * sees[:, None]).ravel()), True), (50728, '2I', 3, fractions(sees), True), (50778, 'H', 1, 21, True)]
    tifffile.imwrite(path, levels, photometric='cfa', extratags=tags, software='Isola Brina demo', metadata=None)
    print(f'{path}: {levels.shape[1]} x {levels.shape[0]}, {os.path.getsize(path) / 1e6:.2f} MB, ISO {iso}', flush=True)


def exif(maker, iso, taken):
    seconds, aperture, focal, date = taken
    tags = Image.Exif()
    tags[0x010F], tags[0x0110], tags[0x0131], tags[0x0132] = *maker, 'Isola Brina demo', date
    # exposure time, f-number, ISO, date, focal length
    tags.get_ifd(0x8769).update({0x829A: seconds, 0x829D: aperture, 0x8827: iso, 0x9003: date, 0x920A: focal})
    return tags


def photograph(name, folder, pictures, truths):
    how = dict(PHOTOGRAPHS[name])
    linear = load_exr(os.path.join(folder, how.pop('scene') + '.exr'))
    for k in how.pop('specks', ()):
        linear = despeckle(linear, k)
    shrink, file, quality = how.pop('shrink', 1), how.pop('file'), how.pop('quality', None)
    maker, taken, truth = how.pop('of', CAMERA), how.pop('taken'), how.pop('truth', None)
    key = how.pop('key', .18)
    how.setdefault('ev', camera.auto_ev(linear, key))
    seen = smaller(linear, shrink)
    path = os.path.join(pictures, f'{name}.{file}')
    if file == 'dng':
        raw_file(path, seen, maker, taken, seed=sum(map(ord, name)), **how)
        return
    shots = [camera.shoot(seen, seed=sum(map(ord, name)) + other, **how) for other in (0, 1)]
    if file == 'tif':
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile('sRGB')).tobytes()
        deep = np.clip(shots[0] * 65535 + .5, 0, 65535).astype(np.uint16)
        tifffile.imwrite(path, deep, photometric='rgb', compression='deflate', predictor=True, iccprofile=profile, resolution=(300, 300),
                         resolutionunit='INCH', software='Isola Brina demo', metadata=None)
    else:
        eight(shots[0]).save(path, 'JPEG', quality=quality, subsampling='4:2:0', exif=exif(maker, how['iso'], taken))
    middle = (shots[0].mean(-1) > .3) & (shots[0].mean(-1) < .7)
    sigma = (shots[0] - shots[1])[middle].std() / 2 ** .5 * 255 if middle.any() else float('nan')
    height, width = shots[0].shape[:2]
    print(f'{path}: {width} x {height}, {os.path.getsize(path) / 1e6:.2f} MB, ISO {how["iso"]}, noise {sigma:.2f}', flush=True)
    if truth is not None:
        ideal = dict(how, bayer=False, blur=0, sharp=0, glare_radius=how.get('glare_radius', 40) * shrink)
        path = os.path.join(truths, f'{name}.jpg')
        eight(without_path_noise(camera.shoot(linear, **ideal), truth)).save(path, 'JPEG', quality=93, subsampling='4:4:4')
        print(f'{path}: {linear.shape[1]} x {linear.shape[0]}, {os.path.getsize(path) / 1e6:.2f} MB', flush=True)


def without_path_noise(picture, strength):
    """A truth without the noise of its few paths, by non-local means; `strength` 0 leaves it as it is. It costs a little of the
    finest texture, so that figures against such a truth are a guide."""
    if not strength:
        return picture
    sigma = float(np.mean(estimate_sigma(picture, channel_axis=-1)))
    return denoise_nl_means(picture.astype(np.float32), patch_size=5, patch_distance=6, h=strength * sigma, sigma=sigma, channel_axis=-1)


def eight(picture):
    return Image.fromarray((picture * 255 + .5).astype(np.uint8))


if __name__ == '__main__':
    folder, pictures, truths, *names = sys.argv[1:]
    os.makedirs(truths, exist_ok=True)
    for name in names or PHOTOGRAPHS:
        photograph(name, folder, pictures, truths)
