"""What the documents of all JSON formats share."""

from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field

Number = int | float
Interval = Annotated[tuple[Number, Number], Field(description="low and high end")]


class Document(BaseModel):
    """A document or a part of one. Its fields are the format: the JSON Schemas are made from them,
    and what is written is checked against them.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    @classmethod
    def checked(cls, fields: dict[str, Any]) -> dict[str, Any]:
        """The same fields, if they are what the format promises. Raises ValidationError."""
        return cls.parse(fields).model_dump(mode="json", exclude_unset=True)

    @classmethod
    def parse(cls, fields: dict[str, Any]) -> Self:
        """A document from its fields. Raises ValidationError."""
        return cls.model_validate(fields)
