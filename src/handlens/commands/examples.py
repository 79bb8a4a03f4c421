"""What the help of each command ends with: calls to copy, and what its exit codes mean."""

from __future__ import annotations

_JUDGED = "0: nothing at or above --fail-on. 1: something is, or a model could not be read or looked at. 2: nothing could be read, or the call is wrong."
_WROTE = "0: written. 1: written, but not all that was asked for was done. 2: nothing was written."
_SAME = "0: yes. 1: no. 2: something could not be read, or the call is wrong."
_LISTED = "0: listed. 2: the call is wrong."

#: By command: calls, and exit codes.
_EXAMPLES: dict[str, tuple[tuple[str, ...], str]] = {
    "inspect": (
        (
            "handlens inspect crab_pot --rules ar-viewing",
            "handlens inspect models/ --recursive --jobs 4 --compact",
            "handlens inspect crab_pot --baseline accepted.json --fail-on caution",
        ),
        _JUDGED,
    ),
    "report": (
        ("handlens report crab_pot --out crab_pot.html", "handlens report models/ --recursive --out models.sarif"),
        _JUDGED,
    ),
    "mend": (
        (
            "handlens mend crab_pot --mend placement.bake --mend facing.outward --out mended/",
            "handlens mend crab_pot --recipe house.json --out crab_pot.zip",
        ),
        _WROTE,
    ),
    "export": (
        ("handlens export crab_pot --format glb --out out/ --proof proof.json",),
        "0: written, and proved where that was asked for. 1: written, and not proved. 2: nothing was written.",
    ),
    "batch": (
        (
            "handlens batch props/ --rules creator-platform-strict --jobs 4 --csv props.csv",
            "handlens batch props/ --way --jobs 4 --out mended/ --report props.html",
        ),
        "0: nothing stops any model as it would be handed on, and what was written is proved. 1: something does, a model could not be read, or a file is not proved. 2: nothing could be read, or the call is wrong.",
    ),
    "way": (
        (
            "handlens way crab_pot --rules creator-platform-strict",
            "handlens way heron --rules ar-viewing --rules block-world --out out/",
            "handlens way crab_pot --recipe pots.json --prefer skin.left-behind=skin.bind-part",
        ),
        "0: it ends in Fit for every destination. 1: something is left, or what was written is not proved. 2: nothing could be read, or the call is wrong.",
    ),
    "prove": (("handlens prove crab_pot.glb out/crab_pot.obj",), "0: proved. 1: something differs. 2: one could not be read."),
    "explain": (
        ("handlens explain crab_pot --look hole",),
        "0: nothing explains it. 1: causes were found. 2: it could not be read.",
    ),
    "fits": (("handlens fits old/buoy.glb new/buoy.glb",), _SAME),
    "stale": (("handlens stale sent/handlens-manifest.json /quay/assets/crab_pot",), _SAME),
    "receive": (
        (
            "handlens receive out/ --rules creator-platform-strict",
            "handlens receive crab_pot.zip --variant older --json answer.json",
        ),
        "0: taken. 1: refused, or this stand-in does not open the format. 2: the package could not be read.",
    ),
    "learn-sheet": (("handlens learn-sheet good/ --unfit bad/ --out quay.json",), "0: written. 2: nothing was written."),
    "watch": (("handlens watch models/ --rules block-world",), "0: stopped. 2: the folder could not be read."),
    "rules": (("handlens rules list", "handlens rules show block-world > mine.json"), _LISTED),
    "checks": (("handlens checks facing", "handlens checks skin.bare"), _LISTED),
    "mends": (("handlens mends textures", "handlens mends facing.outward"), _LISTED),
    "house": (
        ("HANDLENS_HOUSE=checks handlens house test crab_pot",),
        "0: nothing was found. 1: something was. 2: it could not be read, or there are no house checks.",
    ),
    "completions": (("handlens completions bash > ~/.local/share/bash-completion/completions/handlens",), _LISTED),
}


def after(name: str) -> str:
    """What stands after the options of a command."""
    calls, codes = _EXAMPLES[name]
    return "\n".join(
        [
            "examples:",
            *(f"  {call}" for call in calls),
            "",
            "exit codes:",
            *(f"  {one.strip()}." for one in codes.rstrip(".").split(". ")),
        ]
    )
