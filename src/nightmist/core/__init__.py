"""The computation: arrays in, arrays out. No state of the application, no web, no database.

Conventions, everywhere in this package:

* Image row 0 is the top; texel (x, y) has its center at (x + 0.5, y + 0.5).
* UV follows glTF: u to the right, v **down**, so a texel center is at u = (x + 0.5) / W, v = (y + 0.5) / H.
* Space is the model's, right-handed, +y up, in model units (glTF: meters).
* Color is sRGB-encoded, alpha is straight, all channels are uint16 (65535 = 1).
"""
