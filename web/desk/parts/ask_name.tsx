import { useState } from "react";
import { Button, Dialog, DialogTrigger, Form, Input, Label, Popover, TextField } from "react-aria-components";

interface Props {
  button: string;
  label: string;
  usual: string;
  onName: (name: string) => Promise<unknown>;
  isPrimary?: boolean;
  isDisabled?: boolean;
}

/** A button that asks for a name beside it. */
export function AskName({ button, label, usual, onName, isPrimary = false, isDisabled = false }: Props) {
  const [isOpen, setOpen] = useState(false), [name, setName] = useState(usual);
  const change = (next: boolean) => {
    if (next) setName(usual);
    setOpen(next);
  };
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={change}>
      <Button className={isPrimary ? "primary" : ""} isDisabled={isDisabled}>{button}</Button>
      <Popover>
        <Dialog aria-label={button}>
          <Form onSubmit={(event) => { event.preventDefault(); setOpen(false); void onName(name); }}>
            {/* The field is what the button was pressed for. */}
            {/* eslint-disable-next-line jsx-a11y/no-autofocus */}
            <TextField value={name} onChange={setName} autoFocus isRequired><Label>{label}</Label><Input /></TextField>
            <Button type="submit" className="primary">Go</Button>
          </Form>
        </Dialog>
      </Popover>
    </DialogTrigger>
  );
}
