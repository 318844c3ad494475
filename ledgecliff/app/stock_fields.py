"""Fields of the stock, by its form."""

from __future__ import annotations

from ledgecliff.core.edits.parts import prepared_words, section_text, with_prepared, with_section
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.stock import BarStock, BlockStock, ExtrusionStock, ModelStock, Stock, TubeStock

from .field_table import FieldSpec, Section, length

#: Where it lies, and by how much cuts from both sides pass each other there.
PARTING = Section(
    "The parting plane",
    (
        length("At", "Its place in part coordinates, along the axis it is square to.", "parting", "at"),
        length("Past it by", "How far each cut that goes to it goes on, so that both meet.", "parting", "past"),
    ),
)


def stock_sections(stock: Stock) -> tuple[Section, ...]:
    label = (
        FieldSpec("Material", ("stock", "material"), "text", "Printed on the sheet."),
        FieldSpec(
            "Expands by",
            ("stock", "expansion"),
            "number",
            "Millionths of its length for each kelvin; steel some 12, aluminium 23. Blank: not counted.",
            True,
        ),
        FieldSpec("Lot", ("stock", "lot"), "text", "Which delivery they are from, as the record calls it."),
        FieldSpec(
            "Prepared faces",
            ("stock", "prepared"),
            "text",
            "Planed, ground or drawn true: +Z, −Z. Prepared on both, a blank's thickness may give a later side its Z.",
            optional=True,
            change=lambda job, text: with_prepared(job, str(text or "")),
            show=prepared_words,
        ),
    )
    match stock:
        case BlockStock():
            sections = _block_sections(label)
        case TubeStock():
            sections = _bar_sections(label, tube=True)
        case BarStock():
            sections = _bar_sections(label, tube=False)
        case ExtrusionStock():
            sections = (
                _measure_section("Length", "length"),
                Section(
                    "The section",
                    (
                        FieldSpec(
                            "Corners",
                            ("stock", "section"),
                            "text",
                            "Its corners in mm in order round the outline: 0 0, 40 0, 40 20, 0 20.",
                            change=lambda job, value: with_section(job, str(value)),
                            show=lambda section: section_text(section),
                        ),
                        length("Varies by ±", "How far the section of other bars may differ.", "stock", "across"),
                    ),
                ),
                Section("From the label", label),
            )
        case ModelStock():
            sections = (
                Section(
                    "Where its zero lies in the part",
                    tuple(
                        length(
                            f"Part {axis.upper()}", "Part coordinate of the stock model's zero.", "stock", "at", axis
                        )
                        for axis in AXES
                    ),
                ),
                _varies_section(),
                Section("From the label", label),
            )
    return sections if isinstance(stock, ModelStock) else (*sections[:1], _allowances(), *sections[1:])


def _varies_section() -> Section:
    whys = (
        "Saw-cut lengths vary most. Search distances must cover it.",
        "How far other blanks may differ along Y.",
        "How far other blanks may differ along Z.",
    )
    return Section(
        "Blanks of the batch vary by ±",
        tuple(
            length(f"Part {axis.upper()}", why, "stock", "varies", axis) for axis, why in zip(AXES, whys, strict=True)
        ),
    )


def _block_sections(label: tuple[FieldSpec, ...]) -> tuple[Section, ...]:
    return (
        Section(
            "Size of the blank",
            tuple(
                length(
                    f"Part {axis.upper()}", f"Caliper reading along the part's {axis.upper()}; the plan uses it.",
                    "stock", "measured", axis,
                )
                for axis in AXES
            ),
        ),
        _varies_section(),
        Section(
            "From the label",
            (
                *label,
                *(
                    length(
                        f"Part {axis.upper()}", "The label's size: kept for the record, never used to plan.",
                        "stock", "nominal", axis,
                    )
                    for axis in AXES
                ),
            ),
        ),
    )  # fmt: skip


def _measure_section(title: str, name: str) -> Section:
    return Section(
        title,
        (
            length("Measured", "Caliper reading; the plan uses it.", "stock", name, "measured"),
            length("Varies by ±", "How far other bars of the batch may differ.", "stock", name, "varies"),
            length("On the label", "Kept for the record, never used to plan.", "stock", name, "nominal"),
        ),
    )


def _bar_sections(label: tuple[FieldSpec, ...], *, tube: bool) -> tuple[Section, ...]:
    bore = (_measure_section("Bore", "bore"),) if tube else ()
    return (
        _measure_section("Diameter", "diameter"),
        _measure_section("Length", "length"),
        *bore,
        Section("From the label", label),
    )


def _allowances() -> Section:
    why = "How far the stock stands out here. Blank: the other side or the middle decides."
    return Section(
        "Stands out over the part",
        tuple(
            length(f"Part {sign}{axis.upper()}", why, "stock", "allowance", f"{word}_{axis}", optional=True)
            for axis in AXES
            for sign, word in (("−", "minus"), ("+", "plus"))
        ),
    )
