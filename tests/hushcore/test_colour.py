import colour
import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, rgb2lab

from hushcore.colour import curves, difference
from hushcore.colour.encoding import SRGB

# Sharma, Wu & Dalal 2005, table 1: L1 a1 b1 L2 a2 b2 dE00
SHARMA = np.array([
    [50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425], [50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615],
    [50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412], [50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000],
    [50, -1.1848, -84.8006, 50, 0, -82.7485, 1.0000], [50, -0.9009, -85.5211, 50, 0, -82.7485, 1.0000],
    [50, 0, 0, 50, -1, 2, 2.3669], [50, -1, 2, 50, 0, 0, 2.3669],
    [50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792], [50, 2.4900, -0.0010, 50, -2.4900, 0.0010, 7.1792],
    [50, 2.4900, -0.0010, 50, -2.4900, 0.0011, 7.2195], [50, 2.4900, -0.0010, 50, -2.4900, 0.0012, 7.2195],
    [50, -0.0010, 2.4900, 50, 0.0009, -2.4900, 4.8045], [50, -0.0010, 2.4900, 50, 0.0010, -2.4900, 4.8045],
    [50, -0.0010, 2.4900, 50, 0.0011, -2.4900, 4.7461], [50, 2.5000, 0, 50, 0, -2.5000, 4.3065],
    [50, 2.5000, 0, 73, 25, -18, 27.1492], [50, 2.5000, 0, 61, -5, 29, 22.8977],
    [50, 2.5000, 0, 56, -27, -3, 31.9030], [50, 2.5000, 0, 58, 24, 15, 19.4535],
    [50, 2.5000, 0, 50, 3.1736, 0.5854, 1.0000], [50, 2.5000, 0, 50, 3.2972, 0, 1.0000],
    [50, 2.5000, 0, 50, 1.8634, 0.5757, 1.0000], [50, 2.5000, 0, 50, 3.2592, 0.3350, 1.0000],
    [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644],
    [63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630],
    [61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731],
    [35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645],
    [22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373],
    [36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146],
    [90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441],
    [90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381],
    [6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377],
    [2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082],
])  # fmt: skip


def test_ciede2000_reproduces_the_published_pairs():
    ours = difference.ciede2000(SHARMA[:, :3], SHARMA[:, 3:6])
    np.testing.assert_allclose(ours, SHARMA[:, 6], atol=5e-5)


def test_difference_agrees_with_scikit_image():
    rng = np.random.default_rng(0)
    one, two = rng.random((2, 500, 3))
    lab = [rgb2lab(picture) for picture in (one, two)]
    np.testing.assert_allclose(difference.ciede2000(*lab), deltaE_ciede2000(*lab), atol=1e-6)
    ours = difference.linear_to_lab(curves.srgb_to_linear(one))
    np.testing.assert_allclose(ours, lab[0], atol=0.02)


def test_srgb_is_colour_science_s():
    # IEC 61966-2-1 as in colour-science
    x = np.linspace(0, 1, 1001)
    np.testing.assert_allclose(curves.srgb_to_linear(x), colour.models.eotf_sRGB(x), atol=1e-7)
    np.testing.assert_allclose(curves.linear_to_srgb(x), colour.models.eotf_inverse_sRGB(x), atol=1e-7)


@pytest.mark.parametrize("depth", ["uint8", "uint16"])
def test_every_code_value_comes_back(depth):
    codes = np.arange(np.iinfo(depth).max + 1).astype(depth)
    back = SRGB.encode(SRGB.decode(codes), depth)
    assert (back == codes).all()
