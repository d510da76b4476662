import { Button, Label, ListBox, ListBoxItem, Popover, Select, SelectValue } from "react-aria-components";

interface Props {
  label: string;
  value: string;
  choices: readonly string[];
  onChange: (value: string) => void;
  /** What a choice is called, if not by its value. */
  nameOf?: (value: string) => string;
  isDisabled?: boolean;
}

export function Choice({ label, value, choices, onChange, nameOf = (one) => one, isDisabled = false }: Props) {
  return (
    <Select className="choice" placeholder="choose" value={value} onChange={(key) => { if (key !== null) onChange(String(key)); }} isDisabled={isDisabled}>
      <Label>{label}</Label>
      <Button><SelectValue /> <span aria-hidden="true">▾</span></Button>
      <Popover>
        <ListBox>
          {choices.map((one) => <ListBoxItem key={one} id={one} textValue={nameOf(one)}>{nameOf(one)}</ListBoxItem>)}
        </ListBox>
      </Popover>
    </Select>
  );
}
